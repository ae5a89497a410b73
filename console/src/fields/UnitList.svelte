<script lang="ts">
  import { say } from '../lib/words';
  import type { Offer } from '../lib/api';

  // Months and quarters stand under their years, each with the days that it
  // stands for; years stand alone. What is picked is a text like any other.
  type Props = {
    units: Offer[];
    /** A day of the unit that is chosen, ISO. */
    day?: string;
    pick: (phrase: string) => void;
  };
  let { units, day, pick }: Props = $props();

  const yearOf = (unit: Offer) => unit.first?.slice(0, 4) ?? '';
  const years = $derived([...new Set(units.map(yearOf))]);
  const isChosen = (unit: Offer) => !!day && !!unit.first && !!unit.last && unit.first <= day && day <= unit.last;
  const nameOf = (unit: Offer) => unit.phrase.replace(yearOf(unit), '').trim() || unit.phrase;
  const daysOf = (unit: Offer) => (unit.days ?? '').replace(` ${yearOf(unit)}`, '').replace(` ${nameOf(unit)}`, '');
  const alone = $derived(units.every((unit) => nameOf(unit) === yearOf(unit)));

  // The list opens where the chosen one is.
  function shown(node: HTMLElement) {
    node.querySelector('[aria-pressed="true"]')?.scrollIntoView({ block: 'center' });
  }
</script>

{#snippet button(unit: Offer)}
  {@const on = isChosen(unit)}
  <button
    type="button"
    class="flex cursor-pointer justify-between gap-1.5 rounded-[3px] border px-2 py-0.5 text-[13.5px] {on
      ? 'border-deep bg-tint font-semibold text-deep'
      : 'border-line bg-paper'}"
    aria-label="{unit.phrase}: {unit.spelled}"
    aria-pressed={on}
    onclick={() => pick(unit.phrase)}
  >
    {nameOf(unit)} <span class="font-normal text-quiet">{daysOf(unit)}</span>
  </button>
{/snippet}

<div class="max-h-[300px] overflow-y-auto" {@attach shown}>
  {#if units.length === 0}
    <p class="text-[13.5px] text-quiet">{say('There are no records to tell it from. Type one.')}</p>
  {:else if alone}
    <div class="grid grid-cols-2 gap-[3px]">
      {#each units as unit (unit.phrase)}{@render button(unit)}{/each}
    </div>
  {:else}
    {#each years as year (year)}
      <h2 class="mt-1.5 mb-[3px] text-[13.5px] font-[640] first:mt-0">{year}</h2>
      <div class="grid grid-cols-2 gap-[3px]">
        {#each units.filter((unit) => yearOf(unit) === year).reverse() as unit (unit.phrase)}{@render button(unit)}{/each}
      </div>
    {/each}
  {/if}
</div>
