<script lang="ts">
  import { listReports, type ReportSummary } from '../lib/api';
  import { counted } from '../lib/format';
  import { follow } from '../lib/route.svelte';
  import Notice from '../parts/Notice.svelte';
  import PageHead from '../parts/PageHead.svelte';

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

<div class="mx-auto max-w-[860px] px-6 pt-7 pb-15">
  <PageHead title="Reports" />
  <p class="text-quiet" role="status">
    {#if reports && find}{counted(reports.length, 'report')} with “{find}”{:else if reports}{counted(reports.length, 'report')}, by shelf{/if}
  </p>
  {#if failed}
    <Notice kind="failed">{failed}</Notice>
  {:else if reports && reports.length === 0}
    <p>
      {#if find}No report holds these words. <a href="/" onclick={follow}>Show all reports</a>
      {:else}No reports yet. Put a file of definitions with <code class="code">pikegate put</code>, or try the demo with
        <code class="code">pikegate demo</code>.{/if}
    </p>
  {/if}
  {#each shelves as [shelf, on] (shelf)}
    <section>
      <h2 class="mt-6.5 mb-1.5 text-[15px] font-[640] text-quiet">{shelf}</h2>
      <ul class="divide-y divide-line border-y border-line">
        {#each on as r (r.name)}
          <li>
            <a
              class="grid grid-cols-[240px_1fr] gap-x-4 gap-y-1 px-3 py-[11px] text-ink no-underline hover:bg-tint max-[700px]:grid-cols-1"
              href="/reports/{encodeURIComponent(r.name)}"
              onclick={follow}><b class="text-base font-[640] text-deep">{r.title}</b> <span class="text-quiet">{r.about}</span></a
            >
          </li>
        {/each}
      </ul>
    </section>
  {/each}
</div>
