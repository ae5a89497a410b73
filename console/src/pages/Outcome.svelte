<script lang="ts">
  import { say } from '../lib/words';
  import type { ReportInfo } from '../lib/api';
  import { clockText, spelledDay } from '../lib/format';
  import { doSignIn, isDeveloper, seenAs } from '../lib/person.svelte';
  import { follow } from '../lib/route.svelte';
  import type { ReportRun } from '../lib/run.svelte';
  import Notice from '../parts/Notice.svelte';
  import PageHead from '../parts/PageHead.svelte';
  import ReadBack from '../parts/ReadBack.svelte';
  import DownloadCsv from './DownloadCsv.svelte';
  import Empty from './Empty.svelte';
  import Evidence from './Evidence.svelte';
  import LiveLink from './LiveLink.svelte';
  import ScheduleIt from './ScheduleIt.svelte';
  import SeeAs from './SeeAs.svelte';
  import Progress from './Progress.svelte';
  import Sections from './Sections.svelte';
  import TableSection from './TableSection.svelte';

  // What a run brought: what ran, in a sentence; what shows that it is right; the records.
  let { run, report }: { run: ReportRun; report: ReportInfo } = $props();

  const result = $derived(run.result);
  const button = 'btn-plain print:hidden disabled:cursor-not-allowed disabled:opacity-55';
</script>

<section
  class="min-w-0 overflow-y-auto px-7 py-5 max-[860px]:overflow-visible max-[860px]:p-4 print:overflow-visible print:p-0"
  aria-label={say('Result')}
  aria-busy={!!run.running}
>
  <PageHead title={report.title}>
    {#snippet about()}{[report.about.replace(/\.$/, ''), report.shelf, say('days by {0}', clockText(report.clock, report.zone))]
        .filter(Boolean)
        .join(' · ')}{/snippet}
    {#snippet tools()}
      {#if isDeveloper()}<a class="{button} no-underline" href="/workroom/report/{encodeURIComponent(run.name)}" onclick={follow}>{say('Definition')}</a>{/if}
      {#if run.isTrial}
        <button type="button" class={button} onclick={() => run.copyLink()}>{say('Link')}</button>
      {:else if !seenAs()}
        <LiveLink {run} />
        <ScheduleIt {run} />
        {#if isDeveloper() && doSignIn()}<SeeAs />{/if}
      {/if}
      {#if !result?.several}
        <DownloadCsv {run} section={1} disabled={!result || run.stale} />
      {/if}
      <button type="button" class={button} onclick={() => run.download('xlsx', 0)} disabled={!result || run.stale} aria-label={say('Download XLSX')}
        >XLSX</button
      >
      <button type="button" class={button} onclick={() => run.download('pdf', 0)} disabled={!result || run.stale} aria-label={say('Download PDF')}>PDF</button>
      <button type="button" class={button} onclick={() => void run.print()} disabled={!result || run.stale}>{say('Print')}</button>
    {/snippet}
  </PageHead>
  <p class="min-h-[1.42em] text-sm text-quiet" role="status">{run.note}</p>
  {#if run.failed}
    <Notice kind="failed">
      {run.failed}{#if run.receiptOfFailure}{' '}<a href={run.receiptOfFailure} onclick={follow}>{say('Its receipt')}</a> {say('tells more.')}{/if}
    </Notice>
  {/if}
  {#if result}
    {#if run.stale}
      <Notice kind="warning">{say('The answers have changed since these records were read. Show records again to see what they bring.')}</Notice>
    {/if}
    <Notice kind="read" class="mt-1 [&_b]:font-[660]">
      {#if result.receipt}
        <ReadBack pieces={result.receipt.read_back_pieces ?? []} />
      {:else}
        {say('Counting what shows that these records are right…')}
      {/if}
    </Notice>
    {#if run.narrowed}
      <p class="mb-2 text-sm">
        {say('Narrowed to')} <b class="font-[640]">{spelledDay(run.narrowed.to)}</b>.
        <button type="button" class="btn-plain" onclick={() => run.widen()}>{say('Back to what was shown before')}</button>
      </p>
    {/if}
    {#if result.several}
      {#if result.receipt}<Evidence receipt={result.receipt} countAll={() => void run.run(true)} />{/if}
      {#each result.receipt?.notes ?? [] as said (said)}<Notice kind="warning">{said}</Notice>{/each}
      {#if result.receipt?.state === 'no_rows'}
        <Empty receipt={result.receipt} answer={(prompt, text) => run.answer(prompt, text)} />
      {/if}
      <Sections {run} sections={result.sections} />
    {:else if result.receipt?.state === 'no_rows'}
      <Empty receipt={result.receipt} answer={(prompt, text) => run.answer(prompt, text)} />
    {:else}
      {#if result.receipt}<Evidence receipt={result.receipt} countAll={() => void run.run(true)} />{/if}
      {#each result.receipt?.notes ?? result.notes ?? [] as said (said)}<Notice kind="warning">{said}</Notice>{/each}
      <TableSection {run} section={result.sections[0]!} alone />
    {/if}
  {:else if run.progress}
    <Progress progress={run.progress} receipt={run.runningReceipt} />
  {:else if !run.failed}
    <p class="mt-6 text-quiet">{run.running ? say('Reading the records…') : say('Answer the questions, then show the records.')}</p>
  {/if}
</section>
