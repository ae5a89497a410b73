<script lang="ts">
  import { say } from '../lib/words';
  import type { Shown } from '../lib/api';
  import type { ReportRun } from '../lib/run.svelte';
  import DownloadCsv from './DownloadCsv.svelte';
  import Records from './Records.svelte';
  import TableTools from './TableTools.svelte';

  // A table of a report, with what its reader may change of it.
  let { run, section, alone = false }: { run: ReportRun; section: Shown; alone?: boolean } = $props();

  const info = $derived(run.report?.sections[section.section - 1]);
  const isMain = $derived(run.report?.main === section.section);
  const sort = $derived(isMain && info?.reader_may?.includes('sort') ? (by: string) => run.see({ ...run.view, sort: [by] }) : undefined);
</script>

<section class="min-w-0">
  {#if !alone}
    <div class="flex flex-wrap items-baseline justify-between gap-x-4">
      <h2 class="text-base font-[660]">{section.label}</h2>
      <DownloadCsv {run} section={section.section} disabled={run.stale} label={say('Download CSV')} />
    </div>
  {/if}
  {#if section.says}<p class="mb-1 text-sm text-quiet">{section.says}</p>{/if}
  {#each (section.compare ?? []).filter((o) => !o.first) as other (other.with)}<p class="text-sm text-quiet">{other.spelled}</p>{/each}
  {#each section.notes ?? [] as note (note)}<p class="text-sm text-amber">{note}</p>{/each}
  {#if isMain && info?.reader_may}<TableTools {info} view={run.view} see={(view) => run.see(view)} />{/if}
  {#if section.problem}
    <p class="text-brick">{section.problem}</p>
  {:else}
    <Records
      {section}
      label={alone ? say('Records') : section.label}
      more={() => run.more(section.section)}
      whole={run.printing}
      sorted={run.view.sort}
      {sort}
    />
  {/if}
</section>
