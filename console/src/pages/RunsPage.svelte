<script lang="ts">
  import { say } from '../lib/words';
  import { untrack } from 'svelte';
  import { linkOfKept } from '../lib/answers';
  import { cancelRun, listReceipts, listReports, messageOf, type Receipt, type ReportSummary } from '../lib/api';
  import { momentText, outcomes, progressText, recordsOf, tookText } from '../lib/format';
  import { currentUrl, follow, rewrite } from '../lib/route.svelte';
  import DataTable from '../parts/DataTable.svelte';
  import Field from '../parts/Field.svelte';
  import Notice from '../parts/Notice.svelte';
  import PageHead from '../parts/PageHead.svelte';

  const wanted = $derived(currentUrl().searchParams);
  let receipts = $state.raw<Receipt[]>();
  let isMore = $state(false);
  let reports = $state.raw<ReportSummary[]>([]);
  let failed = $state('');

  listReports('').then(
    (all) => (reports = all),
    () => {}, // the list of runs says so
  );

  // How often the list was asked for: again now and then while a run goes on.
  let asked = $state(0);
  const lookAgain = 1500;

  $effect(() => {
    const stop = new AbortController();
    const shown = asked > 0 ? untrack(() => receipts?.length ?? 0) : 0;
    const query = new URLSearchParams(wanted);
    if (shown > 50) query.set('limit', String(Math.min(shown, 1000)));
    let timer = 0;
    listReceipts(query.toString(), stop.signal).then(
      (list) => {
        receipts = list.receipts;
        isMore = list.more;
        failed = '';
        if (list.receipts.some((r) => r.state === 'running')) timer = window.setTimeout(() => asked++, lookAgain);
      },
      (cause: Error) => {
        if (!stop.signal.aborted) failed = cause.message;
      },
    );
    return () => {
      stop.abort();
      clearTimeout(timer);
    };
  });

  async function cancel(receipt: number) {
    try {
      await cancelRun(receipt);
      asked++;
    } catch (cause) {
      failed = messageOf(cause);
    }
  }

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
      failed = messageOf(cause);
    }
  }

  const cell = 'border-b border-line px-2.5 py-1.5 align-top max-[700px]:block max-[700px]:border-0 max-[700px]:px-0 max-[700px]:py-px';
</script>

<svelte:head><title>{say('Runs · Pike Gate')}</title></svelte:head>

<div class="mx-auto max-w-[1180px] p-6">
  <PageHead title={say('Runs')} />
  <form class="my-3 flex flex-wrap gap-x-4.5 gap-y-2" onsubmit={(e) => e.preventDefault()}>
    <Field name={say('Report')}>
      <select
        class="select w-[260px] bg-field text-sm max-[420px]:w-[190px]"
        value={wanted.get('report') ?? ''}
        onchange={(e) => want('report', e.currentTarget.value)}
      >
        <option value="">{say('all')}</option>
        {#each reports as r (r.name)}<option value={r.name}>{r.title}</option>{/each}
      </select>
    </Field>
    <Field name={say('Ended')}>
      <select class="select w-auto bg-field text-sm" value={wanted.get('state') ?? ''} onchange={(e) => want('state', e.currentTarget.value)}>
        <option value="">{say('in any way')}</option>
        {#each Object.entries(outcomes) as [state, words] (state)}<option value={state}>{words}</option>{/each}
      </select>
    </Field>
    {@render text(say('Day'), 'day', 'any, or yesterday, or 3 Nov')}
    {@render text(say('Person'), 'person', 'anybody')}
  </form>
  {#if failed}<Notice kind="failed">{failed}</Notice>{/if}
  {#if receipts && receipts.length === 0}
    <p class="text-quiet" role="status">{say('Nothing was run that fits.')}</p>
  {:else if receipts}
    <DataTable
      caption={say('Runs, the latest first')}
      class="max-[700px]:block max-[700px]:[&_tbody]:block max-[700px]:[&_thead]:hidden"
      heads={[
        { text: say('Receipt') },
        { text: say('When') },
        { text: say('Who') },
        { text: say('Report') },
        { text: say('Outcome') },
        { text: say('Took'), isNumber: true },
      ]}
    >
      {#snippet rows()}
        {#each receipts ?? [] as r (r.id)}
          {@const well = r.state === 'rows' || r.state === 'no_rows'}
          <tr class="max-[700px]:block max-[700px]:border-b max-[700px]:border-line max-[700px]:py-2">
            <td class={cell}><a href="/receipts/{r.id}" onclick={follow}>{r.id}</a></td>
            <td class="{cell} whitespace-nowrap">{momentText(r.started_at)}</td>
            <td class="{cell} whitespace-nowrap">{r.person}</td>
            <td class={cell}><b class="font-[640]">{r.title}</b><br /><span class="text-[13.5px] text-quiet">{r.read_back || r.problem}</span></td>
            <td class={cell} class:text-brick={!well && r.state !== 'running'}>
              {#if r.progress}
                <span role="status">{progressText(r.progress)}</span>
                <button type="button" class="btn-plain" onclick={() => void cancel(r.id)} aria-label={say('Cancel run {0}', r.id)}>{say('Cancel')}</button>
              {:else}
                <span class="whitespace-nowrap">{well ? recordsOf(r) : outcomes[r.state]}</span>
                {#if r.kept_until}<br /><a href={linkOfKept(r)} onclick={follow} aria-label={say('its records, run {0}', r.id)}>{say('its records')}</a>{/if}
              {/if}
            </td>
            <td class="{cell} text-end whitespace-nowrap max-[700px]:text-start">{tookText(r.took_ms)}</td>
          </tr>
        {/each}
      {/snippet}
    </DataTable>
    {#if isMore}<p class="px-2.5 py-3">
        <button type="button" class="btn-plain" onclick={more}>{say('Show earlier runs')}</button>
      </p>{/if}
  {:else if !failed}
    <!-- as high as a list, so that nothing moves once that is here -->
    <p class="min-h-screen text-quiet" role="status">{say('Reading what was run…')}</p>
  {/if}
</div>

{#snippet text(name: string, key: string, placeholder: string)}
  <Field {name}>
    <input
      class="input w-auto bg-field text-sm placeholder:text-quiet"
      type="text"
      autocomplete="off"
      {placeholder}
      value={wanted.get(key) ?? ''}
      onchange={(e) => want(key, e.currentTarget.value)}
    />
  </Field>
{/snippet}
