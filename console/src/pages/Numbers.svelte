<script lang="ts">
  import type { Shown } from '../lib/api';
  import { cellText, isNumeric } from '../lib/format';
  import { seen } from '../lib/seen';
  import DataTable from '../parts/DataTable.svelte';

  // The rows of a section as a table: what they come to stands under them, and under those that lie together.
  // Where a reader may sort it, sorted tells by what it is, and sort sorts it anew.
  // Where it is whole, all rows that are here are drawn, for a print.
  type Props = { section: Shown; label: string; whole?: boolean; sorted?: string[]; sort?: (by: string) => void };
  let { section, label, whole = false, sorted = [], sort }: Props = $props();

  const columns = $derived(section.columns);

  // As many rows are drawn as one has scrolled to, and some more.
  const step = 400;
  let drawn = $state(step);

  /** A press sorts upwards, the next downwards. */
  function sortOf(name: string, sort: (by: string) => void) {
    const order = sorted.includes(`${name} descending`) ? 'descending' : sorted.includes(name) ? 'ascending' : 'none';
    return { order, press: () => sort(order === 'ascending' ? `${name} descending` : name) } as const;
  }
  const totals = $derived(new Map((section.totals ?? []).map((total) => [total.column, total.value])));
  // After how many rows each subtotal stands.
  const parts = $derived.by(() => {
    const found = new Map<number, NonNullable<typeof section.subtotals>[number]>();
    let rows = 0;
    for (const part of section.subtotals ?? []) found.set((rows += part.rows) - 1, part);
    return found;
  });
</script>

{#snippet sums(name: string, of: Map<string, string>)}
  {#each columns as column, c (c)}
    {#if c === 0 && !of.has(column.name)}
      <th scope="row" class="text-left">{name}</th>
    {:else}
      <td class:text-right={isNumeric(column)}>{of.get(column.name) ?? ''}</td>
    {/if}
  {/each}
{/snippet}

<!-- a region that scrolls must be reachable by keys -->

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div class="overflow-x-auto" tabindex="0" role="region" aria-label={label}>
  <DataTable
    caption={label}
    heads={columns.map((column) => ({ text: column.label, unit: column.unit, isNumber: isNumeric(column), sort: sort && sortOf(column.name, sort) }))}
  >
    {#snippet rows()}
      {#each whole ? section.rows : section.rows.slice(0, drawn) as row, i (i)}
        <tr class="[&>td]:border-b [&>td]:border-line [&>td]:px-2.5 [&>td]:py-[5px] [&>td]:whitespace-nowrap">
          {#each columns as column, c (c)}
            {@const value = row[c]}
            {#if value === null || value === undefined}
              <td class="missing text-quiet" class:text-right={isNumeric(column)}>missing</td>
            {:else if value === ''}
              <td class="missing text-quiet">empty text</td>
            {:else}
              <td class:text-right={isNumeric(column)} title={column.type === 'instant' ? String(value) : undefined}>{cellText(column, value)}</td>
            {/if}
          {/each}
        </tr>
        {@const part = parts.get(i)}
        {#if part}
          <tr class="bg-tint font-[640] [&>*]:border-b [&>*]:border-line [&>*]:px-2.5 [&>*]:py-[5px] [&>*]:whitespace-nowrap">
            {@render sums(
              `${part.value === null ? 'missing' : cellText(columns.find((c) => c.name === part.column) ?? columns[0]!, part.value as string)}, ${part.records.toLocaleString('en')}`,
              new Map(part.totals.map((total) => [total.column, total.value])),
            )}
          </tr>
        {/if}
      {/each}
      {#if !whole && drawn < section.rows.length}
        {#key drawn}<tr use:seen={() => (drawn += step)}><td colspan={columns.length} class="px-2.5 py-[5px] text-quiet">…</td></tr>{/key}
      {/if}
    {/snippet}
    {#snippet foot()}
      {#if totals.size > 0}
        <tr class="font-[640] [&>*]:border-t-[1.5px] [&>*]:border-edge [&>*]:px-2.5 [&>*]:py-[5px] [&>*]:whitespace-nowrap">
          {@render sums('In all', totals)}
        </tr>
      {/if}
    {/snippet}
  </DataTable>
</div>
