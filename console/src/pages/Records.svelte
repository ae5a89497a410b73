<script lang="ts">
  import type { Result } from '../lib/api';
  import { cellText, counted, isNumeric } from '../lib/format';
  import DataTable from '../parts/DataTable.svelte';

  let { result, more }: { result: Result; more: () => void } = $props();

  const columns = $derived(result.columns);
  // Of a summary there are as many rows as groups, else as many as records.
  const all = $derived(result.receipt?.groups ?? result.receipt?.records ?? result.rows.length);
  const what = $derived(result.receipt?.groups === undefined ? 'record' : 'row');
  const totals = $derived(new Map((result.receipt?.totals ?? []).map((total) => [total.column, total.value])));
  const left = $derived(all - result.rows.length);

  // More rows come as one scrolls to the end of those that are there.
  function watched(node: HTMLElement) {
    const observer = new IntersectionObserver((seen) => seen.some((s) => s.isIntersecting) && more(), { rootMargin: '400px' });
    observer.observe(node);
    return { destroy: () => observer.disconnect() };
  }
</script>

<!-- a region that scrolls must be reachable by keys -->

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div class="overflow-x-auto" tabindex="0" role="region" aria-label="Records">
  <DataTable
    caption={result.receipt?.read_back ?? 'Records'}
    heads={columns.map((column) => ({ text: column.label, unit: column.unit, isNumber: isNumeric(column) }))}
  >
    {#snippet rows()}
      {#each result.rows as row, i (i)}
        <tr class="[&>td]:border-b [&>td]:border-line [&>td]:px-2.5 [&>td]:py-[5px] [&>td]:whitespace-nowrap">
          {#each columns as column, c (column.name)}
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
      {/each}
    {/snippet}
    {#snippet foot()}
      {#if totals.size > 0}
        <tr class="font-[640] [&>*]:border-t-[1.5px] [&>*]:border-edge [&>*]:px-2.5 [&>*]:py-[5px] [&>*]:whitespace-nowrap">
          {#each columns as column, c (column.name)}
            {#if c === 0 && !totals.has(column.name)}
              <th scope="row" class="text-left">In all</th>
            {:else}
              <td class:text-right={isNumeric(column)}>{totals.get(column.name) ?? ''}</td>
            {/if}
          {/each}
        </tr>
      {/if}
    {/snippet}
  </DataTable>
</div>
{#each result.receipt?.left_out ?? [] as figure (figure.figure)}
  <p class="px-2.5 pt-1.5 text-sm text-quiet">Left out of {figure.label}: {counted(figure.missing + (figure.unreadable ?? 0), 'record')} without a value.</p>
{/each}
{#if left > 0}
  <p class="hidden px-2.5 py-3 font-[640] print:block">
    These are the first {result.rows.length.toLocaleString('en')} of {counted(all, what)}; the CSV file has them all.
  </p>
  {#key result.rows.length}
    <p class="px-2.5 py-3 print:hidden" use:watched>
      <button type="button" class="btn-plain" onclick={more}>Show more</button>
      <span class="text-quiet">{counted(left, what)} to come</span>
    </p>
  {/key}
{/if}
