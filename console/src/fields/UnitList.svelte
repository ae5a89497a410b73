<script lang="ts">
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
    node.querySelector('.on')?.scrollIntoView({ block: 'center' });
  }
</script>

{#snippet button(unit: Offer)}
  <button type="button" class:on={isChosen(unit)} aria-label="{unit.phrase}: {unit.spelled}" aria-pressed={isChosen(unit)} onclick={() => pick(unit.phrase)}>
    {nameOf(unit)} <span>{daysOf(unit)}</span>
  </button>
{/snippet}

<div class="list" {@attach shown}>
  {#if units.length === 0}
    <p>There are no records to tell it from. Type one.</p>
  {:else if alone}
    <div class="grid">{#each units as unit (unit.phrase)}{@render button(unit)}{/each}</div>
  {:else}
    {#each years as year (year)}
      <h3>{year}</h3>
      <div class="grid">{#each units.filter((unit) => yearOf(unit) === year).reverse() as unit (unit.phrase)}{@render button(unit)}{/each}</div>
    {/each}
  {/if}
</div>

<style>
  .list {
    max-height: 300px;
    overflow-y: auto;
  }
  h3 {
    font-size: 13.5px;
    font-weight: 640;
    margin: 6px 0 3px;
  }
  h3:first-child {
    margin-top: 0;
  }
  .grid {
    display: grid;
    grid-template-columns: repeat(2, minmax(0, 1fr));
    gap: 3px;
  }
  button {
    display: flex;
    justify-content: space-between;
    gap: 6px;
    border: 1px solid var(--line);
    border-radius: 3px;
    background: var(--paper);
    padding: 2px 8px;
    font-size: 13.5px;
    cursor: pointer;
  }
  button span {
    color: var(--quiet);
  }
  .on {
    background: var(--tint);
    border-color: var(--deep);
    color: var(--deep);
    font-weight: 600;
  }
  .on span {
    font-weight: 400;
  }
  p {
    font-size: 13.5px;
    color: var(--quiet);
  }
</style>
