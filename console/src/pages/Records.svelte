<script lang="ts">
  import type { Result } from '../lib/api';
  import { cellText, counted, isNumeric } from '../lib/format';

  let { result, more }: { result: Result; more: () => void } = $props();

  const columns = $derived(result.columns);
  const left = $derived((result.receipt?.records ?? result.rows.length) - result.rows.length);

  // More rows come as one scrolls to the end of those that are there.
  function watched(node: HTMLElement) {
    const observer = new IntersectionObserver((seen) => seen.some((s) => s.isIntersecting) && more(), { rootMargin: '400px' });
    observer.observe(node);
    return { destroy: () => observer.disconnect() };
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex -- a region that scrolls must be reachable by keys -->
<div class="scroll" tabindex="0" role="region" aria-label="Records">
  <table>
    <caption class="unseen">{result.receipt?.read_back ?? 'Records'}</caption>
    <thead>
      <tr>
        {#each columns as column (column.name)}
          <th scope="col" class:num={isNumeric(column)}>{column.label}{#if column.unit}<span class="quiet">, {column.unit}</span>{/if}</th>
        {/each}
      </tr>
    </thead>
    <tbody>
      {#each result.rows as row, i (i)}
        <tr>
          {#each columns as column, c (column.name)}
            {@const value = row[c]}
            {#if value === null || value === undefined}
              <td class="missing" class:num={isNumeric(column)}>missing</td>
            {:else if value === ''}
              <td class="missing">empty text</td>
            {:else}
              <td class:num={isNumeric(column)} title={column.type === 'instant' ? String(value) : undefined}>{cellText(column, value)}</td>
            {/if}
          {/each}
        </tr>
      {/each}
    </tbody>
  </table>
</div>
{#if left > 0}
  <p class="printed">These are the first {result.rows.length.toLocaleString('en')} of {counted(result.receipt?.records ?? 0, 'record')}; the CSV file has them all.</p>
  {#key result.rows.length}
    <p class="more" use:watched><button type="button" class="plain" onclick={more}>Show more</button> <span class="quiet">{counted(left, 'record')} to come</span></p>
  {/key}
{/if}

<style>
  .scroll {
    overflow-x: auto;
  }
  table {
    border-collapse: collapse;
    width: 100%;
  }
  th {
    text-align: left;
    font-weight: 640;
    font-size: 14px;
    border-bottom: 1.5px solid var(--edge);
    padding: 6px 10px;
    white-space: nowrap;
  }
  td {
    padding: 5px 10px;
    border-bottom: 1px solid var(--line);
    white-space: nowrap;
  }
  .num {
    text-align: right;
  }
  .missing {
    color: var(--quiet);
  }
  .more {
    padding: 12px 10px;
  }
  .printed {
    display: none;
    padding: 12px 10px;
    font-weight: 640;
  }
  @media print {
    .printed {
      display: block;
    }
    .more {
      display: none;
    }
  }
</style>
