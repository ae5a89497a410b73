<script lang="ts">
  import { say } from '../lib/words';
  import { mounted } from './mounted';

  // Two texts of a definition beside each other.
  type Side = { text: string; name: string };
  let { old, now }: { old: Side; now: Side } = $props();

  let box: HTMLDivElement;

  $effect(() => {
    const [before, after] = [{ ...old }, { ...now }];
    return mounted(import('./difference'), (m) => m.textDifference(box, before, after));
  });
</script>

<div class="mt-2 grid grid-cols-2 text-sm text-quiet"><span>{old.name}</span><span>{now.name}</span></div>
<!-- it scrolls, by keys too -->
<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div
  bind:this={box}
  tabindex="0"
  role="region"
  aria-label={say('The texts beside each other')}
  class="max-h-[60vh] overflow-auto rounded-container border border-line bg-card"
></div>
