<script lang="ts">
  import { counted, grouped, say } from '../lib/words';
  import { messageOf, runAgain, showReceipt, type Comparison, type Receipt } from '../lib/api';
  import { linkOfKept, queryOfEntered } from '../lib/answers';
  import { momentText, progressText, recordsOf, spelledDay, tookText } from '../lib/format';
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
      ? say('left open')
      : Array.isArray(value)
        ? value.join(', ')
        : typeof value === 'object'
          ? Object.values(value as object).join(' to ')
          : String(value);

  const button = 'btn-plain text-ink no-underline';
</script>

<svelte:head><title>{say('Receipt {0} · Pike Gate', id)}</title></svelte:head>

<div class="mx-auto max-w-[980px] p-6">
  {#if failed}<Notice kind="failed">{failed}</Notice>{/if}
  {#if receipt}
    <PageHead title={receipt.title}>
      {#snippet about()}
        {say(
          'Receipt {0} · {1} · {2} · as of {3}',
          receipt!.id,
          receipt!.person,
          momentText(receipt!.started_at),
          spelledDay(receipt!.as_of),
        )}{#if receipt!.clock}{' '}{say('· days by {0}', receipt!.clock.charAt(0).toLowerCase() + receipt!.clock.slice(1))}{/if}
      {/snippet}
      {#snippet tools()}
        <a class={button} href="/reports/{encodeURIComponent(receipt!.report)}?{queryOfEntered(receipt!.entered ?? {})}" onclick={follow}
          >{say('Open with these answers')}</a
        >
        {#if receipt!.kept_until}<a class={button} href={linkOfKept(receipt!)} onclick={follow}>{say('Its records')}</a>{/if}
        <button type="button" class={button} disabled={running} onclick={() => again('')}>{say('Run again as it was')}</button>
        <button type="button" class={button} disabled={running} onclick={() => again('today')}>{say('Run again as of today')}</button>
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
      <section class="mb-2 border border-line bg-card px-3.5 py-2 [&_b]:font-[640]" aria-label={say('Run again')} role="status">
        <p>
          {say('Run again as')} <a href="/receipts/{comparison.after.id}" onclick={follow}>{say('receipt {0}', comparison.after.id)}</a>{say(
            ', as of {0}: {1}.',
            spelledDay(comparison.after.as_of),
            recordsOf(comparison.after),
          )}
          {#if comparison.same}<b class="font-[640]">{say('The same, row by row, in the same order.')}</b
            >{:else if comparison.not_by_rows}{comparison.not_by_rows}{/if}
        </p>
        {#each comparison.sections ?? [] as s (s.section)}
          {#if s.section !== comparison.after.main}
            <p>
              {s.label}: {#if !s.known}{say('not compared, since not all rows are known')}{:else if s.same}{say('the same')}{:else if s.gained}{say(
                  '{0} gained, {1} lost, {2} changed',
                  counted(s.gained.records, '{0} row|{0} rows'),
                  counted(s.lost?.records ?? 0, '{0} row|{0} rows'),
                  counted(s.changed?.records ?? 0, '{0} row|{0} rows'),
                )}{:else}{say('not the same')}{/if}.
            </p>
          {/if}
        {/each}
        {#if !comparison.same && !comparison.not_by_rows}
          <ul>
            {#each differing as d (d.word)}
              <li>
                <b class="font-[640]">{counted(d.rows?.records ?? 0, '{0} record|{0} records')}</b>
                {d.word}{#if d.rows?.keys?.length}: {comparison.key.join(' / ')}
                  {d.rows.keys.map((k) => k.join(' / ')).join(', ')}{d.rows.records > d.rows.keys.length ? say(' and more') : ''}{/if}
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
        <b class="font-[640]">{recordsOf(receipt)}</b>{#if evidence?.ends?.first && evidence.ends.last}{say(
            ', first {0} ({1} that day), last {2} ({3} that day)',
            evidence.ends.first.spelled,
            evidence.ends.first.records,
            evidence.ends.last.spelled,
            evidence.ends.last.records,
          )}{/if}
      </p>
      {#if evidence}<Figures {evidence} />{:else}<p class="text-quiet">{say('This run was made without evidence.')}</p>{/if}
    {/if}
    {#if receipt.sections?.length}
      <h2 class="mt-4.5 mb-1 text-base font-[640]">{say('Sections')}</h2>
      <DataTable caption={say('Sections')} class="text-sm" heads={[{ text: say('Section') }, { text: say('What it showed') }, { text: say('Fingerprint') }]}>
        {#snippet rows()}
          {#each receipt?.sections ?? [] as s (s.section)}
            <tr class="[&>td]:border-b [&>td]:border-line [&>td]:px-2.5 [&>td]:py-1 [&>td]:align-top">
              <td>{s.section} {s.kind}, {s.label}</td>
              <td>
                {#if s.problem}<span class="text-brick">{s.problem}</span>
                {:else if s.kind === 'figure'}{s.value === null || s.value === undefined ? say('missing') : grouped(String(s.value))} {s.unit ?? ''}
                {:else if s.groups !== undefined}{counted(s.groups, '{0} row|{0} rows')}
                {:else if s.records !== undefined}{counted(s.records, '{0} record|{0} records')}
                {:else}{counted(s.row_count, '{0} row|{0} rows')}{/if}
              </td>
              <td><code class="bg-transparent p-0 text-inherit" title={s.fingerprint}>{s.fingerprint?.slice(0, 16) ?? ''}</code></td>
            </tr>
          {/each}
        {/snippet}
      </DataTable>
    {/if}
    {#if receipt.answers?.length}
      <h2 class="mt-4.5 mb-1 text-base font-[640]">{say('Answers')}</h2>
      <DataTable caption={say('Answers')} class="text-sm" heads={[{ text: say('Prompt') }, { text: say('Entered') }, { text: say('Understood') }]}>
        {#snippet rows()}
          {#each receipt?.answers ?? [] as a (a.prompt)}
            <tr class="[&>td]:border-b [&>td]:border-line [&>td]:px-2.5 [&>td]:py-1 [&>td]:align-top">
              <td>{a.prompt}</td>
              <td>{a.derived ?? entered(a.entered)}{a.default ? say(' (default)') : ''}</td>
              <td>{receipt?.errors?.some((f) => f.place.prompt === a.prompt) ? 'refused' : a.spelled}</td>
            </tr>
          {/each}
        {/snippet}
      </DataTable>
    {/if}
    {#if receipt.sql}
      <h2 class="mt-4.5 mb-1 text-base font-[640]">{say('What the database was sent')}</h2>
      <!-- a region that scrolls must be reachable by keys -->
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <pre
        class="max-h-[260px] overflow-y-auto border border-line bg-card px-3.5 py-2 text-[13.5px] wrap-anywhere whitespace-pre-wrap"
        tabindex="0"
        role="region"
        aria-label="SQL">{receipt.sql}{#if receipt.values?.length}{`\n\n${say('with {0}', receipt.values.join(' | '))}`}{/if}</pre>
    {/if}
    <p class="mt-3.5 text-sm wrap-anywhere text-quiet">
      {#if receipt.revisions?.length}{say('Made of {0}.', receipt.revisions.map((r) => `${r.kind} ${r.name} ${r.revision}`).join(', '))}<br />{/if}
      {say(
        'Took {0}: checking {1}, recording {2}, waiting {3}, database {4}, sending {5}, counting {6}.',
        tookText(receipt.took_ms),
        tookText(receipt.time.checking_ms),
        tookText(receipt.time.recording_ms),
        tookText(receipt.time.waiting_ms),
        tookText(receipt.time.database_ms),
        tookText(receipt.time.sending_ms),
        tookText(receipt.time.counting_ms),
      )}
      {#if receipt.kept_until}<br />{say('Its records are kept until {0} at the latest.', momentText(receipt.kept_until))}{:else if receipt.not_kept}<br />{say(
          'Its records are not kept: {0}.',
          receipt.not_kept,
        )}{/if}
      {#if evidence?.complete_up_to}<br />{say('The data reach to {0}.', evidence.complete_up_to.spelled)}{/if}
      {#if evidence?.fingerprint}<br />{say('Fingerprint')} <code class="bg-transparent p-0 whitespace-normal text-inherit">{evidence.fingerprint}</code>{/if}
    </p>
  {/if}
</div>
