<script lang="ts">
  import { listReports, type ReportSummary } from '../lib/api';
  import { counted } from '../lib/format';
  import { follow } from '../lib/route.svelte';

  let { find }: { find: string } = $props();

  let reports = $state<ReportSummary[]>();
  let failed = $state('');

  $effect(() => {
    const stop = new AbortController();
    listReports(find, stop.signal).then(
      (found) => {
        reports = found;
        failed = '';
      },
      (cause: Error) => {
        if (!stop.signal.aborted) failed = cause.message;
      },
    );
    return () => stop.abort();
  });

  const shelves = $derived([...Map.groupBy(reports ?? [], (r) => r.shelf || 'On no shelf')]);
</script>

<svelte:head><title>Reports · Pike Gate</title></svelte:head>

<div class="page">
  <h1>Reports</h1>
  <p class="quiet" role="status">
    {#if reports && find}{counted(reports.length, 'report')} with “{find}”{:else if reports}{counted(reports.length, 'report')}, by shelf{/if}
  </p>
  {#if failed}
    <p class="failed" role="alert">{failed}</p>
  {:else if reports && reports.length === 0}
    <p>
      {#if find}No report holds these words. <a href="/" onclick={follow}>Show all reports</a>
      {:else}No reports yet. Put a file of definitions with <code>pikegate put</code>, or try the demo with <code>pikegate demo</code>.{/if}
    </p>
  {/if}
  {#each shelves as [shelf, on] (shelf)}
    <section>
      <h2>{shelf}</h2>
      <ul>
        {#each on as r (r.name)}
          <li>
            <a href="/reports/{encodeURIComponent(r.name)}" onclick={follow}><b>{r.title}</b> <span class="quiet">{r.about}</span></a>
          </li>
        {/each}
      </ul>
    </section>
  {/each}
</div>

<style>
  .page {
    max-width: 860px;
    margin: 0 auto;
    padding: 28px 24px 60px;
  }
  h1 {
    font-size: 25px;
    font-weight: 680;
  }
  h2 {
    font-size: 15px;
    font-weight: 640;
    color: var(--quiet);
    margin: 26px 0 6px;
  }
  li {
    border-top: 1px solid var(--line);
  }
  li:last-child {
    border-bottom: 1px solid var(--line);
  }
  li a {
    display: grid;
    grid-template-columns: 240px 1fr;
    gap: 4px 16px;
    padding: 11px 12px;
    color: var(--ink);
    text-decoration: none;
  }
  li a:hover {
    background: var(--tint);
  }
  b {
    font-weight: 640;
    color: var(--deep);
    font-size: 16px;
  }
  .failed {
    color: var(--brick);
  }
  @media (max-width: 700px) {
    li a {
      grid-template-columns: 1fr;
    }
  }
</style>
