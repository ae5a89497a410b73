<script lang="ts">
  import { messageOf, runAgain, showReceipt, type Comparison, type Receipt } from '../lib/api';
  import { linkOfKept, queryOfEntered } from '../lib/answers';
  import { counted, grouped, momentText, progressText, recordsOf, spelledDay, tookText } from '../lib/format';
  import { follow } from '../lib/route.svelte';
  import DataTable from '../parts/DataTable.svelte';
  import Notice from '../parts/Notice.svelte';
  import PageHead from '../parts/PageHead.svelte';
  import Empty from './Empty.svelte';
  import Figures from './Figures.svelte';

  let { id }: { id: string } = $props();

  let receipt = $state.raw<Receipt>();
  let comparison = $state.raw<Comparison>();
  let failed = $state('');
  let running = $state(false);

  // the page is made anew for each receipt

  // svelte-ignore state_referenced_locally
  showReceipt(id).then(
    (r) => (receipt = r),
    (cause: Error) => (failed = cause.message),
  );

  async function again(asOf: string) {
    running = true;
    failed = '';
    comparison = undefined;
    try {
      comparison = await runAgain(receipt!.id, asOf);
    } catch (cause) {
      failed = messageOf(cause);
    } finally {
      running = false;
    }
  }

  const evidence = $derived(receipt?.evidence);
  const differing = $derived(
    comparison
      ? [
          { word: 'gained', rows: comparison.gained },
          { word: 'lost', rows: comparison.lost },
          { word: 'changed', rows: comparison.changed },
        ]
      : [],
  );
  const entered = (value: unknown): string =>
    value === null
      ? 'left open'
      : Array.isArray(value)
        ? value.join(', ')
        : typeof value === 'object'
          ? Object.values(value as object).join(' to ')
          : String(value);

  const button = 'btn-plain text-ink no-underline';
</script>

<svelte:head><title>Receipt {id} · Pike Gate</title></svelte:head>

<div class="mx-auto max-w-[980px] p-6">
  {#if failed}<Notice kind="failed">{failed}</Notice>{/if}
  {#if receipt}
    <PageHead title={receipt.title}>
      {#snippet about()}
        Receipt {receipt!.id} · {receipt!.person} · {momentText(receipt!.started_at)} · as of {spelledDay(receipt!.as_of)}{#if receipt!.clock}{' '}· days by {receipt!.clock
            .charAt(0)
            .toLowerCase() + receipt!.clock.slice(1)}{/if}
      {/snippet}
      {#snippet tools()}
        <a class={button} href="/reports/{encodeURIComponent(receipt!.report)}?{queryOfEntered(receipt!.entered ?? {})}" onclick={follow}
          >Open with these answers</a
        >
        {#if receipt!.kept_until}<a class={button} href={linkOfKept(receipt!)} onclick={follow}>Its records</a>{/if}
        <button type="button" class={button} disabled={running} onclick={() => again('')}>Run again as it was</button>
        <button type="button" class={button} disabled={running} onclick={() => again('today')}>Run again as of today</button>
      {/snippet}
    </PageHead>
    {#if receipt.progress}
      <p class="mt-3 mb-2" role="status">{progressText(receipt.progress)}.</p>
    {:else if receipt.state === 'rows' || receipt.state === 'no_rows'}
      <p class="mt-3 mb-2">{receipt.says}</p>
    {:else}
      <Notice kind="failed" role="note" class="mt-3"
        >{receipt.says}{#if receipt.problem}{' '}{receipt.problem}{/if}</Notice
      >
    {/if}
    {#if comparison}
      <section class="mb-2 border border-line bg-card px-3.5 py-2 [&_b]:font-[640]" aria-label="Run again" role="status">
        <p>
          Run again as <a href="/receipts/{comparison.after.id}" onclick={follow}>receipt {comparison.after.id}</a>, as of {spelledDay(comparison.after.as_of)}: {recordsOf(
            comparison.after,
          )}.
          {#if comparison.same}<b class="font-[640]">The same, row by row, in the same order.</b>{:else if comparison.not_by_rows}{comparison.not_by_rows}{/if}
        </p>
        {#each comparison.sections ?? [] as s (s.section)}
          {#if s.section !== comparison.after.main}
            <p>
              {s.label}: {#if !s.known}not compared, since not all rows are known{:else if s.same}the same{:else if s.gained}{counted(s.gained.records, 'row')} gained,
                {counted(s.lost?.records ?? 0, 'row')} lost, {counted(s.changed?.records ?? 0, 'row')} changed{:else}not the same{/if}.
            </p>
          {/if}
        {/each}
        {#if !comparison.same && !comparison.not_by_rows}
          <ul>
            {#each differing as d (d.word)}
              <li>
                <b class="font-[640]">{counted(d.rows?.records ?? 0, 'record')}</b>
                {d.word}{#if d.rows?.keys?.length}: {comparison.key.join(' / ')}
                  {d.rows.keys.map((k) => k.join(' / ')).join(', ')}{d.rows.records > d.rows.keys.length ? ' and more' : ''}{/if}
              </li>
            {/each}
          </ul>
        {/if}
      </section>
    {/if}
    {#if receipt.read_back}<Notice kind="read">{receipt.read_back}</Notice>{/if}
    {#if receipt.state === 'no_rows'}
      <Empty {receipt} />
    {:else if receipt.state === 'rows'}
      <p>
        <b class="font-[640]">{recordsOf(receipt)}</b>{#if evidence?.ends?.first && evidence.ends.last}, first {evidence.ends.first.spelled} ({evidence.ends
            .first.records} that day), last {evidence.ends.last.spelled} ({evidence.ends.last.records} that day){/if}
      </p>
      {#if evidence}<Figures {evidence} />{:else}<p class="text-quiet">This run was made without evidence.</p>{/if}
    {/if}
    {#if receipt.sections?.length}
      <h2 class="mt-4.5 mb-1 text-base font-[640]">Sections</h2>
      <DataTable caption="Sections" class="text-sm" heads={[{ text: 'Section' }, { text: 'What it showed' }, { text: 'Fingerprint' }]}>
        {#snippet rows()}
          {#each receipt?.sections ?? [] as s (s.section)}
            <tr class="[&>td]:border-b [&>td]:border-line [&>td]:px-2.5 [&>td]:py-1 [&>td]:align-top">
              <td>{s.section} {s.kind}, {s.label}</td>
              <td>
                {#if s.problem}<span class="text-brick">{s.problem}</span>
                {:else if s.kind === 'figure'}{s.value === null || s.value === undefined ? 'missing' : grouped(String(s.value))} {s.unit ?? ''}
                {:else if s.groups !== undefined}{counted(s.groups, 'row')}
                {:else if s.records !== undefined}{counted(s.records, 'record')}
                {:else}{counted(s.row_count, 'row')}{/if}
              </td>
              <td><code class="bg-transparent p-0 text-inherit" title={s.fingerprint}>{s.fingerprint?.slice(0, 16) ?? ''}</code></td>
            </tr>
          {/each}
        {/snippet}
      </DataTable>
    {/if}
    {#if receipt.answers?.length}
      <h2 class="mt-4.5 mb-1 text-base font-[640]">Answers</h2>
      <DataTable caption="Answers" class="text-sm" heads={[{ text: 'Prompt' }, { text: 'Entered' }, { text: 'Understood' }]}>
        {#snippet rows()}
          {#each receipt?.answers ?? [] as a (a.prompt)}
            <tr class="[&>td]:border-b [&>td]:border-line [&>td]:px-2.5 [&>td]:py-1 [&>td]:align-top">
              <td>{a.prompt}</td>
              <td>{a.derived ?? entered(a.entered)}{a.default ? ' (default)' : ''}</td>
              <td>{receipt?.errors?.some((f) => f.place.prompt === a.prompt) ? 'refused' : a.spelled}</td>
            </tr>
          {/each}
        {/snippet}
      </DataTable>
    {/if}
    {#if receipt.sql}
      <h2 class="mt-4.5 mb-1 text-base font-[640]">What the database was sent</h2>
      <!-- a region that scrolls must be reachable by keys -->
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <pre
        class="max-h-[260px] overflow-y-auto border border-line bg-card px-3.5 py-2 text-[13.5px] wrap-anywhere whitespace-pre-wrap"
        tabindex="0"
        role="region"
        aria-label="SQL">{receipt.sql}{#if receipt.values?.length}{`\n\nwith ${receipt.values.join(' | ')}`}{/if}</pre>
    {/if}
    <p class="mt-3.5 text-sm wrap-anywhere text-quiet">
      {#if receipt.revisions?.length}Made of {receipt.revisions.map((r) => `${r.kind} ${r.name} ${r.revision}`).join(', ')}.<br />{/if}
      Took {tookText(receipt.took_ms)}: checking {tookText(receipt.time.checking_ms)}, recording {tookText(receipt.time.recording_ms)}, waiting {tookText(
        receipt.time.waiting_ms,
      )}, database {tookText(receipt.time.database_ms)}, sending {tookText(receipt.time.sending_ms)}, counting {tookText(receipt.time.counting_ms)}.
      {#if receipt.kept_until}<br />Its records are kept until {momentText(receipt.kept_until)} at the latest.{:else if receipt.not_kept}<br />Its records are
        not kept: {receipt.not_kept}.{/if}
      {#if evidence?.complete_up_to}<br />The data reach to {evidence.complete_up_to.spelled}.{/if}
      {#if evidence?.fingerprint}<br />Fingerprint <code class="bg-transparent p-0 whitespace-normal text-inherit">{evidence.fingerprint}</code>{/if}
    </p>
  {/if}
</div>
