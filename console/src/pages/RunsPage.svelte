<script lang="ts">
  import { listReceipts, listReports, type Receipt, type ReportSummary } from '../lib/api';
  import { momentText, outcomes, recordsOf, tookText } from '../lib/format';
  import { currentUrl, follow, rewrite } from '../lib/route.svelte';

  const wanted = $derived(currentUrl().searchParams);
  let receipts = $state.raw<Receipt[]>();
  let isMore = $state(false);
  let reports = $state.raw<ReportSummary[]>([]);
  let failed = $state('');

  listReports('').then(
    (all) => (reports = all),
    () => {}, // the list of runs says so
  );

  $effect(() => {
    const stop = new AbortController();
    listReceipts(wanted.toString(), stop.signal).then(
      (list) => {
        receipts = list.receipts;
        isMore = list.more;
        failed = '';
      },
      (cause: Error) => {
        if (!stop.signal.aborted) failed = cause.message;
      },
    );
    return () => stop.abort();
  });

  function want(name: string, value: string) {
    const query = new URLSearchParams(wanted);
    query.delete(name);
    if (value) query.set(name, value);
    rewrite(`/runs?${query}`);
  }

  async function more() {
    const query = new URLSearchParams(wanted);
    query.set('before', String(receipts!.at(-1)!.id));
    try {
      const list = await listReceipts(query.toString());
      receipts = [...receipts!, ...list.receipts];
      isMore = list.more;
    } catch (cause) {
      failed = cause instanceof Error ? cause.message : String(cause);
    }
  }
</script>

<svelte:head><title>Runs · Pike Gate</title></svelte:head>

<div class="page">
  <h1>Runs</h1>
  <form class="filters" onsubmit={(e) => e.preventDefault()}>
    <label>Report
      <select value={wanted.get('report') ?? ''} onchange={(e) => want('report', e.currentTarget.value)}>
        <option value="">all</option>
        {#each reports as r (r.name)}<option value={r.name}>{r.title}</option>{/each}
      </select>
    </label>
    <label>Ended
      <select value={wanted.get('state') ?? ''} onchange={(e) => want('state', e.currentTarget.value)}>
        <option value="">in any way</option>
        {#each Object.entries(outcomes) as [state, words] (state)}<option value={state}>{words}</option>{/each}
      </select>
    </label>
    <label>Day <input type="text" autocomplete="off" placeholder="any, or yesterday, or 3 Nov" value={wanted.get('day') ?? ''} onchange={(e) => want('day', e.currentTarget.value)} /></label>
    <label>Person <input type="text" autocomplete="off" placeholder="anybody" value={wanted.get('person') ?? ''} onchange={(e) => want('person', e.currentTarget.value)} /></label>
  </form>
  {#if failed}<p class="failed" role="alert">{failed}</p>{/if}
  {#if receipts && receipts.length === 0}
    <p class="quiet" role="status">Nothing was run that fits.</p>
  {:else if receipts}
    <table>
      <caption class="unseen">Runs, the latest first</caption>
      <thead>
        <tr><th scope="col">Receipt</th><th scope="col">When</th><th scope="col">Who</th><th scope="col">Report</th><th scope="col">Outcome</th><th scope="col" class="num">Took</th></tr>
      </thead>
      <tbody>
        {#each receipts as r (r.id)}
          {@const well = r.state === 'rows' || r.state === 'no_rows'}
          <tr>
            <td><a href="/receipts/{r.id}" onclick={follow}>{r.id}</a></td>
            <td class="when">{momentText(r.started_at)}</td>
            <td class="when">{r.person}</td>
            <td><b>{r.title}</b><br /><span class="quiet small">{r.read_back || r.problem}</span></td>
            <td class:bad={!well} class="when">{well ? recordsOf(r) : outcomes[r.state]}</td>
            <td class="num">{tookText(r.took_ms)}</td>
          </tr>
        {/each}
      </tbody>
    </table>
    {#if isMore}<p class="more"><button type="button" class="plain" onclick={more}>Show earlier runs</button></p>{/if}
  {/if}
</div>

<style>
  .page {
    max-width: 1180px;
    margin: 0 auto;
    padding: 24px;
  }
  h1 {
    font-size: 25px;
    line-height: 1.15;
    font-weight: 680;
    margin-bottom: 12px;
  }
  .filters {
    display: flex;
    flex-wrap: wrap;
    gap: 8px 18px;
    margin-bottom: 14px;
    font-size: 14px;
    color: var(--quiet);
  }
  select,
  input {
    border: 1px solid var(--edge);
    border-radius: 4px;
    background: var(--field);
    color: var(--ink);
    padding: 4px 8px;
    margin-left: 4px;
  }
  input::placeholder {
    color: var(--quiet);
    opacity: 1;
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
    padding: 6px 10px;
    border-bottom: 1px solid var(--line);
    vertical-align: top;
  }
  td b {
    font-weight: 640;
  }
  .num {
    text-align: right;
    white-space: nowrap;
  }
  .when {
    white-space: nowrap;
  }
  .small {
    font-size: 13.5px;
  }
  .bad {
    color: var(--brick);
  }
  .failed {
    background: var(--brick-tint);
    border-left: 4px solid var(--brick);
    padding: 9px 14px;
    margin-bottom: 8px;
  }
  .more {
    padding: 12px 10px;
  }
  @media (max-width: 700px) {
    table,
    tbody,
    tr,
    td {
      display: block;
      border: 0;
      padding: 1px 0;
    }
    thead {
      display: none;
    }
    tr {
      border-bottom: 1px solid var(--line);
      padding: 8px 0;
    }
    .num {
      text-align: left;
    }
  }
</style>
