<script lang="ts">
  import { say } from '../lib/words';
  import type { Fault } from '../lib/api';

  let { id, faults, apply }: { id: string; faults: Fault[]; apply: (fault: Fault, suggestion: string) => void } = $props();

  // The sentence, after the field that it is about where there are two.
  function sentence(fault: Fault): string {
    const text = fault.message.charAt(0).toUpperCase() + fault.message.slice(1) + '.';
    const field = fault.place.side && { start: say('From: '), end: say('Through: ') }[fault.place.side];
    return (field ?? '') + text;
  }
</script>

<div {id} aria-live="polite">
  {#each faults as fault, i (i)}
    <p class="mt-1 text-sm text-brick">{sentence(fault)}</p>
    {#if fault.suggestions}
      <div class="mt-1 flex flex-wrap gap-1.5">
        {#each fault.suggestions as suggestion (suggestion)}
          <button type="button" class="btn border border-brick bg-brick-tint px-2 py-0.5 text-[13.5px]/[1.42] text-ink" onclick={() => apply(fault, suggestion)}
            ><span class="sr-only">{say('Answer')}</span> {suggestion}</button
          >
        {/each}
      </div>
    {/if}
  {/each}
</div>
