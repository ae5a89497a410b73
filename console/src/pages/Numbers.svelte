<script lang="ts">
  import { numberText, say } from '../lib/words';
  import type { Column, Shown } from '../lib/api';
  import { flushSync } from 'svelte';
  import { cellText, isNumeric } from '../lib/format';
  import { Longest, Windowed } from '../lib/windowed.svelte';
  import DataTable from '../parts/DataTable.svelte';

  // The rows of a section as a table: what they come to stands under them, and under those that lie together.
  // Where a reader may sort it, sorted tells by what it is, and sort sorts it anew.
  // Where it is whole, all rows that are here are drawn, for a print.
  type Props = { section: Shown; label: string; whole?: boolean; sorted?: string[]; sort?: (by: string) => void };
  let { section, label, whole = false, sorted = [], sort }: Props = $props();

  const columns = $derived(section.columns);

  // Of a long table the rows in sight are drawn, and some around them; of a print all that are here.
  const windowed = new Windowed();
  const longest = new Longest();
  let printed = $state(false);
  const all = $derived(whole || printed);

  /** A press sorts upwards, the next downwards. */
  function sortOf(name: string, sort: (by: string) => void) {
    const order = sorted.includes(`${name} descending`) ? 'descending' : sorted.includes(name) ? 'ascending' : 'none';
    return { order, press: () => sort(order === 'ascending' ? `${name} descending` : name) } as const;
  }
  const totals = $derived(new Map((section.totals ?? []).map((total) => [total.column, total.value])));
  const textOf = (column: Column, value: unknown) =>
    value === null || value === undefined ? say('missing') : value === '' ? say('empty text') : cellText(column, value as string);
  const widest = $derived(longest.of(section.rows, columns.length, (row, c) => textOf(columns[c]!, row[c])));

  // The lines of the table are its rows, and the subtotals that stand after some: here at which lines.
  const partsAt = $derived.by(() => {
    let rows = 0;
    const at = (section.subtotals ?? []).map((part, i) => (rows += part.rows) + i);
    return at.filter((line, i) => line - i <= section.rows.length); // the rows of others are still to come
  });
  const count = $derived(section.rows.length + partsAt.length);
  const first = $derived(all ? 0 : Math.min(windowed.first, count));
  const last = $derived(all ? count : Math.min(windowed.last, count));
  const lines = $derived.by(() => {
    let before = partsAt.filter((at) => at < first).length;
    return Array.from({ length: last - first }, (_, i) => {
      const line = first + i;
      return partsAt[before] === line ? { line, part: section.subtotals![before++]! } : { line, row: section.rows[line - before]! };
    });
  });
</script>

<svelte:window onbeforeprint={() => flushSync(() => (printed = true))} onafterprint={() => (printed = false)} />

{#snippet sums(name: string, of: Map<string, string>)}
  {#each columns as column, c (c)}
    {#if c === 0 && !of.has(column.name)}
      <th scope="row" class="text-start">{name}</th>
    {:else}
      <td class:text-end={isNumeric(column)}>{of.get(column.name) ?? ''}</td>
    {/if}
  {/each}
{/snippet}

<!-- a region that scrolls must be reachable by keys -->

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div class="overflow-x-auto" tabindex="0" role="region" aria-label={label}>
  <DataTable
    caption={label}
    {count}
    heads={columns.map((column) => ({ text: column.label, unit: column.unit, isNumber: isNumeric(column), sort: sort && sortOf(column.name, sort) }))}
  >
    {#snippet rows()}
      <tr aria-hidden="true" class="collapse">
        {#each widest as text, c (c)}<td class="px-2.5 whitespace-nowrap">{text}</td>{/each}
      </tr>
      <tr aria-hidden="true" use:windowed.watch style:height="{first * windowed.height}px"></tr>
      {#each lines as { line, part, row } (line)}
        {#if part}
          <tr aria-rowindex={line + 2} class="bg-tint font-[640] [&>*]:border-b [&>*]:border-line [&>*]:px-2.5 [&>*]:py-[5px] [&>*]:whitespace-nowrap">
            {@render sums(
              `${textOf(columns.find((c) => c.name === part.column) ?? columns[0]!, part.value)}, ${numberText(part.records)}`,
              new Map(part.totals.map((total) => [total.column, total.value])),
            )}
          </tr>
        {:else}
          <tr aria-rowindex={line + 2} class="[&>td]:border-b [&>td]:border-line [&>td]:px-2.5 [&>td]:py-[5px] [&>td]:whitespace-nowrap">
            {#each columns as column, c (c)}
              {@const value = row?.[c]}
              <td
                class={{ 'missing text-quiet': value === null || value === undefined || value === '', 'text-end': isNumeric(column) }}
                title={column.type === 'instant' && value ? String(value) : undefined}>{textOf(column, value)}</td
              >
            {/each}
          </tr>
        {/if}
      {/each}
      <tr aria-hidden="true" data-end style:height="{(count - last) * windowed.height}px"></tr>
    {/snippet}
    {#snippet foot()}
      {#if totals.size > 0}
        <tr class="font-[640] [&>*]:border-t-[1.5px] [&>*]:border-edge [&>*]:px-2.5 [&>*]:py-[5px] [&>*]:whitespace-nowrap">
          {@render sums(say('In all'), totals)}
        </tr>
      {/if}
    {/snippet}
  </DataTable>
</div>
