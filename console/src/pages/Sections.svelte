<script lang="ts">
  import type { Shown } from '../lib/api';
  import { inRows } from '../lib/layout';
  import type { ReportRun } from '../lib/run.svelte';
  import ChartSection from './ChartSection.svelte';
  import FigureCard from './FigureCard.svelte';
  import TableSection from './TableSection.svelte';

  // The sections of a report in their order: figures that follow each other stand side by side, and charts where
  // there is room.
  let { run, sections }: { run: ReportRun; sections: Shown[] } = $props();

  const rows = $derived(inRows(sections));
  const columns = {
    figure: 'grid-cols-[repeat(auto-fit,minmax(min(220px,100%),1fr))]',
    chart: 'grid-cols-[repeat(auto-fit,minmax(min(520px,100%),1fr))]',
    table: 'grid-cols-[minmax(0,1fr)]',
  };
</script>

{#each rows as row (row[0]!.section)}
  <div class="mb-5 grid gap-4 {columns[row[0]!.kind]}">
    {#each row as section (section.section)}
      {#if section.kind === 'figure'}
        <FigureCard {section} />
      {:else if section.kind === 'chart'}
        <ChartSection {section} answers={run.result?.receipt?.answers ?? []} narrow={(prompt, to) => run.narrow(prompt, to)} />
      {:else}
        <TableSection {run} {section} />
      {/if}
    {/each}
  </div>
{/each}
