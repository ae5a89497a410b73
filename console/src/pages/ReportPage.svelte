<script lang="ts">
  import { tick, untrack } from 'svelte';
  import { answersOf, fieldsFromQuery, queryOf, type Field, type Fields } from '../lib/answers';
  import { BrokeOff, countMatches, downloadCsv, moreRows, Refused, runReport, showReport, understand, type Matches, type ReportInfo, type Result, type Understanding } from '../lib/api';
  import { clockText } from '../lib/format';
  import { currentUrl, follow, rewrite } from '../lib/route.svelte';
  import Question from '../fields/Question.svelte';
  import Empty from './Empty.svelte';
  import Evidence from './Evidence.svelte';
  import Records from './Records.svelte';

  let { name }: { name: string } = $props();

  const pageSize = 200;
  let report = $state<ReportInfo>();
  let fields = $state<Fields>({});
  let understanding = $state<Understanding>();
  let result = $state.raw<Result>();
  let resultQuery = $state(''); // the answers that the result belongs to
  let failed = $state('');
  let receiptOfFailure = $state('');
  let matches = $state.raw<Matches>();
  let note = $state('');
  let running = $state<AbortController>();
  let loadingMore = false;
  let form = $state<HTMLFormElement>();
  let touched = $state<Record<string, boolean>>({}); // prompts that were answered, or all once a run was asked for

  const answers = $derived(report ? answersOf(report.prompts, fields) : {});
  const query = $derived(report ? queryOf(report.prompts, fields) : '');
  const faults = $derived(understanding?.errors ?? []);
  const stale = $derived(!!result && query !== resultQuery);

  // svelte-ignore state_referenced_locally -- the page is made anew for each report
  showReport(name).then(
    (r) => {
      report = r;
      const asked = currentUrl().searchParams;
      fields = fieldsFromQuery(r.prompts, asked);
      if (asked.size > 0) void run();
    },
    (cause: Error) => (failed = cause.message),
  );

  // What was understood is asked for a moment after the last key; an answer to
  // an older question is dropped.
  $effect(() => {
    if (!report) return;
    const given = answers;
    const stop = new AbortController();
    const timer = setTimeout(
      () =>
        understand(name, given, stop.signal)
          .then((u) => {
            understanding = u;
            matches = undefined;
            return u.errors.length === 0 ? countMatches(name, given, stop.signal) : undefined;
          })
          .then(
            (m) => (matches = m),
            () => {}, // the run says so, where one is asked for
          ),
      untrack(() => (understanding ? 150 : 0)),
    );
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
  });

  function change(prompt: string, field: Field) {
    fields[prompt] = field;
    touched[prompt] = true;
    note = failed = receiptOfFailure = '';
  }

  function said(cause: unknown): string {
    return cause instanceof Error ? cause.message : String(cause);
  }

  /** Puts the cursor into the first field that is refused. */
  function focusRefused() {
    const first = report?.prompts.findIndex((prompt) => faults.some((f) => f.place.prompt === prompt.name)) ?? -1;
    const question = form?.querySelectorAll('fieldset')[first];
    question?.querySelector<HTMLElement>('[aria-invalid="true"]')?.focus();
    if (question && !question.contains(document.activeElement)) question.querySelector<HTMLElement>('input, textarea')?.focus();
  }

  async function run(event?: SubmitEvent) {
    event?.preventDefault();
    if (!report) return;
    running?.abort();
    const stop = new AbortController();
    running = stop;
    failed = note = receiptOfFailure = '';
    const asked = query;
    const given = answers;
    let shown = false;
    try {
      understanding = await understand(name, given, stop.signal);
      if (understanding.errors.length > 0) {
        for (const prompt of report.prompts) touched[prompt.name] = true;
        await tick();
        focusRefused();
        failed = 'Nothing was run: some answers need mending. They are marked beside their questions.';
        return;
      }
      rewrite(`${location.pathname}?${asked}`);
      result = await runReport(
        name,
        given,
        pageSize,
        (rows) => {
          shown = true;
          result = rows;
          resultQuery = asked;
        },
        stop.signal,
      );
      resultQuery = asked;
    } catch (cause) {
      if (stop.signal.aborted) return;
      failed = said(cause);
      if (shown) result = undefined; // they may not be all
      if (cause instanceof Refused) receiptOfFailure = cause.problem.instance?.replace('/api/v1', '') ?? '';
      if (cause instanceof BrokeOff) receiptOfFailure = cause.receipt;
    } finally {
      if (running === stop) running = undefined;
    }
  }

  async function more() {
    if (!report || !result?.receipt || loadingMore || stale || result.rows.length >= (result.receipt.records ?? 0)) return;
    loadingMore = true;
    const before = { ...result, receipt: result.receipt };
    const shown = result;
    try {
      const next = await moreRows(name, before.receipt.id, pageSize, before.rows.length);
      if (result !== shown) return;
      if (next.receipt?.records !== before.receipt?.records) note = 'The data changed while you were reading. Run again to see them as they are now.';
      else result = { ...before, rows: [...before.rows, ...next.rows] };
    } catch (cause) {
      note = said(cause);
    } finally {
      loadingMore = false;
    }
  }

  /** Gives one answer in place of that which was given, and runs again. */
  function answer(prompt: string, text: string) {
    change(prompt, { start: text, end: '', values: [text] });
    void run();
  }

  async function copyLink() {
    const link = `${location.origin}${location.pathname}?${query}`;
    try {
      await navigator.clipboard.writeText(link);
      note = 'The link with these answers is copied.';
    } catch {
      rewrite(link);
      note = 'The address of this page is now the link with these answers.';
    }
  }

  async function download() {
    if (!report) return;
    note = 'Fetching all records…';
    try {
      const file = URL.createObjectURL(await downloadCsv(name, answers));
      Object.assign(document.createElement('a'), { href: file, download: `${name}-${report.as_of}.csv` }).click();
      setTimeout(() => URL.revokeObjectURL(file), 60_000);
      note = 'The records are downloaded.';
    } catch (cause) {
      note = said(cause);
    }
  }
</script>

<svelte:head><title>{report?.title ?? name} · Pike Gate</title></svelte:head>

{#if !report}
  <div class="lost">
    {#if failed}
      <h1>This report cannot be shown</h1>
      <p role="alert">{failed}</p>
      <p><a href="/" onclick={follow}>All reports</a></p>
    {/if}
  </div>
{:else}
  <div class="page">
    <form class="ask" onsubmit={run} novalidate bind:this={form}>
      <div class="questions">
        {#each report.prompts as prompt, i (prompt.name)}
          <Question
            {prompt}
            field={fields[prompt.name]!}
            understood={understanding?.answers[i]}
            faults={touched[prompt.name] ? faults.filter((f) => f.place.prompt === prompt.name) : []}
            change={(field) => change(prompt.name, field)}
            report={name}
            {answers}
          />
        {:else}
          <p class="quiet">This report asks nothing.</p>
        {/each}
      </div>
      <div class="foot">
        {#if running}<button type="button" class="plain" onclick={() => running?.abort()}>Cancel</button>{:else}<span class="quiet small" role="status">
            {#if matches}<b>{matches.records.toLocaleString('en')}</b>{#if matches.of !== matches.records}{' '}of {matches.of.toLocaleString('en')}{/if}
              {report.records.toLowerCase()}{' '}<br />will come back{:else}Enter runs it{/if}
          </span>{/if}
        <button class="go" type="submit">Show records</button>
      </div>
    </form>
    <section class="out" aria-label="Result" aria-busy={!!running}>
      <div class="head">
        <div>
          <h1>{report.title}</h1>
          <p class="quiet small">
            {[report.about.replace(/\.$/, ''), report.shelf, `days by ${clockText(report.clock, report.zone)}`].filter(Boolean).join(' · ')}
          </p>
        </div>
        <div class="tools">
          <button type="button" class="plain" onclick={copyLink}>Link</button>
          <button type="button" class="plain" onclick={download} disabled={!result || stale}>Download CSV</button>
        </div>
      </div>
      <p class="note small" role="status">{note}</p>
      {#if failed}
        <p class="failed" role="alert">
          {failed}{#if receiptOfFailure}{' '}<a href={receiptOfFailure} onclick={follow}>Its receipt</a> tells more.{/if}
        </p>
      {/if}
      {#if result}
        {#if stale}
          <p class="stale">The answers have changed since these records were read. Show records again to see what they bring.</p>
        {/if}
        {#if result.receipt}
          <p class="read">
            {#each result.receipt.read_back_pieces ?? [] as piece, i (i)}{#if piece.value}<b>{piece.text}</b>{:else}{piece.text}{/if}{/each}
          </p>
        {:else}
          <p class="read">Counting what shows that these records are right…</p>
        {/if}
        {#if result.receipt?.state === 'no_rows'}
          <Empty receipt={result.receipt} {answer} />
        {:else}
          {#if result.receipt}<Evidence receipt={result.receipt} />{/if}
          {#each result.receipt?.notes ?? result.notes ?? [] as said (said)}<p class="stale">{said}</p>{/each}
          <Records {result} {more} />
        {/if}
      {:else if !failed}
        <p class="quiet start">{running ? 'Reading the records…' : 'Answer the questions, then show the records.'}</p>
      {/if}
    </section>
  </div>
{/if}

<style>
  .page {
    display: grid;
    grid-template-columns: 352px minmax(0, 1fr);
    height: calc(100vh - 52px);
  }
  .ask {
    border-right: 1px solid var(--line);
    background: var(--card);
    display: flex;
    flex-direction: column;
    min-height: 0;
  }
  .questions {
    padding: 20px 24px 8px;
    flex: 1;
    overflow-y: auto;
  }
  .foot {
    border-top: 1px solid var(--line);
    padding: 14px 24px;
    background: var(--card);
    display: flex;
    align-items: center;
    justify-content: space-between;
  }
  .go {
    background: var(--deep);
    color: var(--on-deep);
    border-radius: 4px;
    font-weight: 640;
    padding: 9px 18px;
    font-size: 16px;
    cursor: pointer;
  }
  .out {
    padding: 20px 28px;
    overflow-y: auto;
    min-width: 0;
  }
  .head {
    display: flex;
    justify-content: space-between;
    align-items: flex-end;
    gap: 16px;
  }
  h1 {
    font-size: 25px;
    line-height: 1.15;
    font-weight: 680;
  }
  .small {
    font-size: 14px;
  }
  .tools {
    display: flex;
    gap: 8px;
    flex-shrink: 0;
  }
  .tools button:disabled {
    opacity: 0.55;
    cursor: not-allowed;
  }
  .note {
    min-height: 1.42em;
    color: var(--quiet);
  }
  .read {
    background: var(--tint);
    border-left: 4px solid var(--deep);
    padding: 9px 14px;
    margin: 4px 0 8px;
    font-size: 16px;
  }
  .read b,
  .foot b {
    font-weight: 660;
  }
  .foot b {
    color: var(--ink);
  }
  .stale {
    background: var(--amber-tint);
    border-left: 4px solid var(--amber);
    padding: 7px 14px;
    margin-bottom: 8px;
  }
  .failed {
    background: var(--brick-tint);
    border-left: 4px solid var(--brick);
    padding: 9px 14px;
    margin-bottom: 8px;
  }
  .start {
    margin-top: 24px;
  }
  .lost {
    padding: 28px 24px;
    max-width: 860px;
    margin: 0 auto;
  }
  @media (max-width: 860px) {
    .page {
      display: block;
      height: auto;
      padding-bottom: 72px;
    }
    .ask {
      border-right: 0;
      border-bottom: 1px solid var(--line);
    }
    .questions {
      overflow: visible;
      padding: 16px;
    }
    .foot {
      position: fixed;
      inset: auto 0 0 0;
      z-index: 2;
      padding: 10px 16px;
    }
    .out {
      padding: 16px;
      overflow: visible;
    }
    .head {
      flex-wrap: wrap;
    }
  }
</style>
