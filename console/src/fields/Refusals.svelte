<script lang="ts">
  import type { Fault } from '../lib/api';

  let { id, faults, apply }: { id: string; faults: Fault[]; apply: (fault: Fault, suggestion: string) => void } = $props();

  // The sentence, after the field that it is about where there are two.
  function sentence(fault: Fault): string {
    const text = fault.message.charAt(0).toUpperCase() + fault.message.slice(1) + '.';
    const field = fault.place.side && { start: 'From: ', end: 'Through: ' }[fault.place.side];
    return (field ?? '') + text;
  }
</script>

<div {id} class="refusals" aria-live="polite">
  {#each faults as fault, i (i)}
    <p>{sentence(fault)}</p>
    {#if fault.suggestions}
      <div class="offers">
        {#each fault.suggestions as suggestion (suggestion)}
          <button type="button" onclick={() => apply(fault, suggestion)}><span class="unseen">Answer</span> {suggestion}</button>
        {/each}
      </div>
    {/if}
  {/each}
</div>

<style>
  p {
    color: var(--brick);
    font-size: 14px;
    margin-top: 4px;
  }
  .offers {
    display: flex;
    flex-wrap: wrap;
    gap: 6px;
    margin-top: 4px;
  }
  button {
    border: 1px solid var(--brick);
    border-radius: 3px;
    background: var(--brick-tint);
    color: var(--ink);
    padding: 2px 9px;
    font-size: 13.5px;
    cursor: pointer;
  }
</style>
