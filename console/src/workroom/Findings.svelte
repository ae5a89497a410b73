<script lang="ts">
  import type { DraftEditor } from './draft.svelte';
  import type { Finding } from './api';

  // What was found at a part of a draft, each with what would mend it at one press.
  let { editor, findings }: { editor: DraftEditor; findings: Finding[] } = $props();

  const isOne = (text: string) => !text.includes('\n') && text.length <= 60;
</script>

{#each findings as f, i (i)}
  <div
    class="my-1 flex flex-wrap items-center gap-x-3 gap-y-1.5 border-l-3 px-3 py-1.5 text-[14.5px]/[1.35] {f.warning
      ? 'border-amber bg-amber-tint'
      : 'border-brick bg-brick-tint'}"
  >
    <span class="min-w-0 flex-1 basis-60">{f.message.charAt(0).toUpperCase() + f.message.slice(1)}.</span>
    {#each f.suggestions ?? [] as text (text)}
      <button
        type="button"
        class="btn-plain max-w-full py-0.5 whitespace-pre-wrap"
        onclick={() => void editor.edit([{ op: 'mend', path: f.path, key: f.key, text }])}
        >{#if isOne(text)}Write <code class="bg-transparent p-0">{text}</code>{:else}<code class="bg-transparent p-0 text-left">{text}</code>{/if}</button
      >
    {/each}
  </div>
{/each}
