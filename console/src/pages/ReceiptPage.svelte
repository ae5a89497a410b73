<script lang="ts">
  import { runAgain, showReceipt, type Comparison, type Receipt } from '../lib/api';
  import { queryOfEntered } from '../lib/answers';
  import { counted, momentText, recordsOf, spelledDay, tookText } from '../lib/format';
  import { follow } from '../lib/route.svelte';
  import Empty from './Empty.svelte';
  import Figures from './Figures.svelte';

  let { id }: { id: string } = $props();

  let receipt = $state.raw<Receipt>();
  let comparison = $state.raw<Comparison>();
  let failed = $state('');
  let running = $state(false);

  // svelte-ignore state_referenced_locally -- the page is made anew for each receipt
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
      failed = cause instanceof Error ? cause.message : String(cause);
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
    value === null ? 'left open' : Array.isArray(value) ? value.join(', ') : typeof value === 'object' ? Object.values(value as object).join(' to ') : String(value);
</script>

<svelte:head><title>Receipt {id} · Pike Gate</title></svelte:head>

<div class="page">
  {#if failed}<p class="failed" role="alert">{failed}</p>{/if}
  {#if receipt}
    <div class="head">
      <div>
        <h1>{receipt.title}</h1>
        <p class="quiet small">
          Receipt {receipt.id} · {receipt.person} · {momentText(receipt.started_at)} · as of {spelledDay(receipt.as_of)}{#if receipt.clock}{' '}· days by {receipt.clock.charAt(0).toLowerCase() +
              receipt.clock.slice(1)}{/if}
        </p>
      </div>
      <div class="tools">
        <a class="plain" href="/reports/{encodeURIComponent(receipt.report)}?{queryOfEntered(receipt.entered ?? {})}" onclick={follow}>Open with these answers</a>
        <button type="button" class="plain" disabled={running} onclick={() => again('')}>Run again as it was</button>
        <button type="button" class="plain" disabled={running} onclick={() => again('today')}>Run again as of today</button>
      </div>
    </div>
    <p class:bad={receipt.state !== 'rows' && receipt.state !== 'no_rows'} class="says">{receipt.says}{#if receipt.problem}{' '}{receipt.problem}{/if}</p>
    {#if comparison}
      <section class="again" aria-label="Run again" role="status">
        <p>
          Run again as <a href="/receipts/{comparison.after.id}" onclick={follow}>receipt {comparison.after.id}</a>, as of {spelledDay(comparison.after.as_of)}: {recordsOf(comparison.after)}.
          {#if comparison.same}<b>The same, row by row, in the same order.</b>{:else if comparison.not_by_rows}{comparison.not_by_rows}{/if}
        </p>
        {#if !comparison.same && !comparison.not_by_rows}
          <ul>
            {#each differing as d (d.word)}
              <li>
                <b>{counted(d.rows?.records ?? 0, 'record')}</b>
                {d.word}{#if d.rows?.keys?.length}: {comparison.key.join(' / ')} {d.rows.keys.map((k) => k.join(' / ')).join(', ')}{d.rows.records > d.rows.keys.length ? ' and more' : ''}{/if}
              </li>
            {/each}
          </ul>
        {/if}
      </section>
    {/if}
    {#if receipt.read_back}<p class="read">{receipt.read_back}</p>{/if}
    {#if receipt.state === 'no_rows'}
      <Empty {receipt} />
    {:else if receipt.state === 'rows'}
      <p><b>{recordsOf(receipt)}</b>{#if evidence?.ends?.first && evidence.ends.last}, first {evidence.ends.first.spelled} ({evidence.ends.first.records} that day), last {evidence.ends.last.spelled} ({evidence.ends.last.records} that day){/if}</p>
      {#if evidence}<Figures {evidence} />{:else}<p class="quiet">This run was made without evidence.</p>{/if}
    {/if}
    {#if receipt.answers?.length}
      <h2>Answers</h2>
      <table>
        <thead><tr><th scope="col">Prompt</th><th scope="col">Entered</th><th scope="col">Understood</th></tr></thead>
        <tbody>
          {#each receipt.answers as a (a.prompt)}
            <tr><td>{a.prompt}</td><td>{a.derived ?? entered(a.entered)}{a.default ? ' (default)' : ''}</td><td>{receipt.errors?.some((f) => f.place.prompt === a.prompt) ? 'refused' : a.spelled}</td></tr>
          {/each}
        </tbody>
      </table>
    {/if}
    {#if receipt.sql}
      <h2>What the database was sent</h2>
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -- a region that scrolls must be reachable by keys -->
      <pre tabindex="0" role="region" aria-label="SQL">{receipt.sql}{#if receipt.values?.length}{`\n\nwith ${receipt.values.join(' | ')}`}{/if}</pre>
    {/if}
    <p class="quiet small foot">
      {#if receipt.revisions?.length}Made of {receipt.revisions.map((r) => `${r.kind} ${r.name} ${r.revision}`).join(', ')}.<br />{/if}
      Took {tookText(receipt.took_ms)}: checking {tookText(receipt.time.checking_ms)}, recording {tookText(receipt.time.recording_ms)}, waiting {tookText(receipt.time.waiting_ms)}, database {tookText(
        receipt.time.database_ms,
      )}, sending {tookText(receipt.time.sending_ms)}, counting {tookText(receipt.time.counting_ms)}.
      {#if evidence?.complete_up_to}<br />The data reach to {evidence.complete_up_to.spelled}.{/if}
      {#if evidence?.fingerprint}<br />Fingerprint <code>{evidence.fingerprint}</code>{/if}
    </p>
  {/if}
</div>

<style>
  .page {
    max-width: 980px;
    margin: 0 auto;
    padding: 24px;
  }
  .head {
    display: flex;
    flex-wrap: wrap;
    justify-content: space-between;
    gap: 10px 16px;
  }
  .tools {
    display: flex;
    flex-wrap: wrap;
    gap: 8px;
    align-items: center;
  }
  .tools a {
    text-decoration: none;
  }
  h1 {
    font-size: 25px;
    line-height: 1.15;
    font-weight: 680;
  }
  h2 {
    font-size: 16px;
    font-weight: 640;
    margin: 18px 0 4px;
  }
  .small {
    font-size: 14px;
  }
  .says {
    margin: 12px 0 8px;
  }
  .bad {
    background: var(--brick-tint);
    border-left: 4px solid var(--brick);
    padding: 7px 14px;
  }
  .read {
    background: var(--tint);
    border-left: 4px solid var(--deep);
    padding: 9px 14px;
    margin: 4px 0 8px;
  }
  .again {
    border: 1px solid var(--line);
    background: var(--card);
    padding: 9px 14px;
    margin-bottom: 8px;
  }
  b {
    font-weight: 640;
  }
  table {
    border-collapse: collapse;
    width: 100%;
    font-size: 14px;
  }
  th,
  td {
    text-align: left;
    padding: 4px 10px 4px 0;
    border-bottom: 1px solid var(--line);
    vertical-align: top;
  }
  th {
    font-weight: 640;
  }
  pre {
    font-size: 13.5px;
    white-space: pre-wrap;
    overflow-wrap: anywhere;
    max-height: 260px;
    overflow-y: auto;
    border: 1px solid var(--line);
    background: var(--card);
    padding: 9px 14px;
  }
  .foot {
    margin-top: 14px;
    overflow-wrap: anywhere;
  }
  code {
    background: none;
    padding: 0;
    color: inherit;
    white-space: normal;
  }
  .failed {
    background: var(--brick-tint);
    border-left: 4px solid var(--brick);
    padding: 9px 14px;
    margin-bottom: 8px;
  }
</style>
