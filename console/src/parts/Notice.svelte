<script lang="ts">
  import type { Snippet } from 'svelte';
  import type { HTMLAttributes } from 'svelte/elements';

  // A sentence that is set off: what ran, what to know, what went wrong.
  type Props = HTMLAttributes<HTMLParagraphElement> & { kind: 'read' | 'warning' | 'failed'; children: Snippet };
  let { kind, children, class: more = '', ...rest }: Props = $props();

  const looks = {
    read: 'read border-deep bg-tint text-base',
    warning: 'border-amber bg-amber-tint',
    failed: 'border-brick bg-brick-tint',
  };
</script>

<p class="mb-2 border-s-4 px-3.5 py-2 {looks[kind]} {more}" role={kind === 'failed' ? 'alert' : undefined} {...rest}>{@render children()}</p>
