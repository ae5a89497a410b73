<script lang="ts">
  import { counted, numberText, say } from '../lib/words';
  import Question from '../fields/Question.svelte';
  import { ReportRun } from '../lib/run.svelte';
  import Evidence from '../pages/Evidence.svelte';
  import Numbers from '../pages/Numbers.svelte';
  import Sections from '../pages/Sections.svelte';
  import Bar from '../parts/Bar.svelte';
  import Notice from '../parts/Notice.svelte';
  import ReadBack from '../parts/ReadBack.svelte';
  import { go } from '../lib/route.svelte';
  import { messageOf } from '../lib/api';
  import { explain, listSources, rehearse, saveDraft, type Explanation, type Rehearsal, type SourceInfo } from './api';
  import type { DraftEditor } from './draft.svelte';
  import { proofText } from './templates';

  // A draft as it would run: the questions as readers meet them, what each condition leaves, the SQL, the records.
  // It runs anew by itself a moment after something changed.
  type Props = { editor: DraftEditor; run: ReportRun; open: (at: string) => void };
  let { editor, run, open }: Props = $props();

  let explained = $state.raw<Explanation>();
  let whole = $state(true); // all sections of a report, as readers see them

  // svelte-ignore state_referenced_locally
  let isAnswering = $state(editor.kind === 'prompt'); // the trial is made anew for each definition

  const hasErrors = $derived(!!editor.draft && !editor.draft.sound);
  const receipt = $derived(run.result?.receipt);
  const evidence = $derived(receipt?.evidence);
  const most = $derived(Math.max(1, ...(evidence?.condition_counts ?? []).map((c) => c.left)));

  // What is asked follows the definitions.
  let loaded = '';
  $effect(() => {
    const state = `${editor.draft?.version} ${editor.draft?.latest} ${run.asOf} ${run.source}`;
    if (!editor.draft || hasErrors || state === loaded) return;
    if (!run.isSound()) return;
    loaded = state;
    const timer = setTimeout(() => run.isSound() && void run.load(), run.report ? 150 : 0);
    return () => clearTimeout(timer);
  });

  // And it runs by the answers that there are.
  const longest = 20_000;
  let ran = '';
  let explaining = new AbortController();
  $effect(() => {
    const asked = run.asked;
    const state = JSON.stringify([run.name, asked, editor.draft?.version, editor.draft?.latest]);
    if (!run.report || hasErrors || run.faults.length > 0 || !run.understanding || state === ran) return;
    const timer = setTimeout(() => {
      if (!run.isSound()) return; // it is asked again with what comes
      ran = state;
      limited();
      explaining.abort();
      explaining = new AbortController();
      explain(run.name, asked, explaining.signal).then(
        (e) => (explained = e),
        () => {}, // the run says what is wrong
      );
    }, 200);
    return () => clearTimeout(timer);
  });

  /** Runs, for so long and no longer: nobody waits for a trial. */
  function limited() {
    note = '';
    const limit = setTimeout(() => {
      run.running?.abort();
      note = say('It took longer than {0} seconds and was stopped. Fewer days, or a narrower answer, would show more.', longest / 1000);
    }, longest);
    void run.run().finally(() => clearTimeout(limit));
  }

  const brief = $derived(
    (run.understanding?.answers ?? [])
      .filter((a) => a.given)
      .map((a) => a.spelled)
      .join(' · '),
  );

  // Other sources may have the same tables.
  let sources = $state.raw<SourceInfo[]>([]);
  listSources().then(
    (all) => (sources = all),
    () => {}, // the page says that the service does not answer
  );

  let rehearsal = $state.raw<Rehearsal>();
  let note = $state('');

  async function toggledRehearsal(event: Event) {
    if (!(event.currentTarget as HTMLDetailsElement).open) return;
    try {
      rehearsal = await rehearse(run.name);
    } catch (cause) {
      note = messageOf(cause);
    }
  }

  /** What stands here, as a proof that every later change is held to. */
  async function prove() {
    if (!run.report || !receipt?.evidence) return;
    const day = receipt.as_of;
    const name = `${editor.name}-${day}`;
    try {
      await saveDraft('proof', name, 0, proofText(name, editor.kind, editor.name, day, run.answers, receipt));
      go(`/workroom/proof/${encodeURIComponent(name)}`);
    } catch (cause) {
      note = messageOf(cause);
    }
  }

  /** The SQL with its values in place, each set off. */
  const pieces = $derived.by(() => {
    if (!explained) return [];
    const values = explained.values;
    let n = 0;
    return explained.sql.split(/(\?|\$\d+)/).map((text) => {
      const numbered = /^\$(\d+)$/.exec(text);
      if (text === '?') return { text: values[n++] ?? '?', isValue: true };
      if (numbered) return { text: values[Number(numbered[1]) - 1] ?? text, isValue: true };
      return { text: text.replaceAll('"', '').replaceAll('`', ''), isValue: false };
    });
  });
</script>

<div class="grid gap-4 p-5">
  <details class="group" bind:open={isAnswering}>
    <summary class="flex cursor-pointer list-none flex-wrap items-baseline gap-x-2.5 text-sm [&::-webkit-details-marker]:hidden">
      <h2 class="text-[15px] font-[660]">{say('Tried with')}</h2>
      <span class="min-w-0 flex-1 text-quiet">{brief || say('no answers')}</span>
      <span class="text-deep after:content-['_›'] group-open:after:content-['_⌄']">{say('answers')}</span>
    </summary>
    <div class="mt-3">
      {#if run.report && !hasErrors}
        {#each run.report.prompts as prompt, i (prompt.name)}
          <Question
            {prompt}
            field={run.fields[prompt.name]!}
            understood={run.understanding?.answers[i]}
            faults={run.faults.filter((f) => f.place.prompt === prompt.name)}
            change={(field) => run.change(prompt.name, field)}
            report={run.name}
            answers={run.answers}
          />
        {:else}<p class="text-sm text-quiet">{say('It asks nothing.')}</p>{/each}
      {/if}
    </div>
  </details>
  <div class="flex flex-wrap gap-x-5 gap-y-2">
    <label class="flex items-center gap-2 text-sm text-quiet"
      >{say('As of')}
      <input
        class="input w-[190px] bg-field text-sm"
        placeholder={run.report ? say('today, {0}', run.report.as_of) : 'today'}
        value={run.asOf}
        onchange={(e) => (run.asOf = e.currentTarget.value)}
        autocomplete="off"
      />
    </label>
    {#if sources.length > 1}
      <label class="flex items-center gap-2 text-sm text-quiet"
        >{say('Read from')}
        <select class="select w-auto bg-field text-sm" bind:value={run.source}>
          <option value="">{say('its own source')}</option>
          {#each sources as s (s.name)}<option value={s.name}>{s.title || s.name}</option>{/each}
        </select>
      </label>
    {/if}
  </div>
  <details class="text-[14.5px]" ontoggle={toggledRehearsal}>
    <summary class="cursor-pointer text-deep">{say('On telling days')}</summary>
    {#if rehearsal}
      <!-- it scrolls, by keys too -->
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <div class="mt-1 overflow-x-auto" tabindex="0" role="region" aria-label={say('What phrases mean on telling days')}>
        <table class="border-collapse text-sm">
          <thead>
            <tr
              ><th scope="col" class="px-2 py-1 text-start">{say('Phrase')}</th>{#each rehearsal.days as d, i (i)}<th
                  scope="col"
                  class="px-2 py-1 text-start font-normal whitespace-nowrap"
                  ><b class="font-[640]">{d.spelled}</b><br /><span class="text-quiet">{d.why}</span></th
                >{/each}</tr
            >
          </thead>
          <tbody>
            {#each rehearsal.phrases as p, i (i)}
              <tr class="[&>*]:border-t [&>*]:border-line [&>*]:px-2 [&>*]:py-1 [&>*]:align-top"
                ><th scope="row" class="text-start font-[600]">{p.phrase}<br /><span class="font-normal text-quiet">{p.where}</span></th
                >{#each p.means as m, i (i)}<td class:text-brick={!!m.refused}>{m.spelled ?? m.refused}</td>{/each}</tr
              >
            {:else}<tr><td class="text-quiet">{say('There are no phrases in it.')}</td></tr>{/each}
          </tbody>
        </table>
      </div>
    {/if}
  </details>
  {#if note}<Notice kind="failed">{note}</Notice>{/if}
  {#if hasErrors}
    <Notice kind="warning"
      >{say(
        'It runs again once {0} {1} mended.',
        editor.errors.length > 0 ? counted(editor.errors.length, '{0} error|{0} errors') : say('what is wrong with its parts'),
        editor.errors.length > 1 ? 'are' : 'is',
      )}</Notice
    >
  {:else if run.failed}
    <Notice kind="failed">{run.failed}</Notice>
  {/if}
  {#if receipt?.read_back_pieces && editor.kind !== 'prompt'}
    <p class="read border-s-4 border-deep bg-tint px-3 py-1.5 text-[15px]">
      <ReadBack pieces={receipt.read_back_pieces} />
    </p>
  {/if}
  {#if evidence && editor.kind !== 'prompt' && evidence.condition_counts.length > 0}
    <section aria-label={say('What each condition left')}>
      <h2 class="mb-1 text-[15px] font-[660]">{say('What each condition left')}</h2>
      <ul class="grid gap-1 text-[14.5px]">
        {#each evidence.condition_counts as step, i (i)}
          <li class="grid grid-cols-[minmax(0,1fr)_110px_64px] items-baseline gap-2">
            {#if step.at}<button type="button" class="cursor-pointer text-start hover:underline" onclick={() => open(step.at!)}>{step.says}</button>{:else}<span
                >{step.says}</span
              >{/if}
            <Bar share={step.left / most} kept={i > 0} />
            <span class="text-end font-[640]" class:text-brick={step.left === 0}>{numberText(step.left)}</span>
          </li>
        {/each}
      </ul>
    </section>
  {/if}
  {#if explained && !hasErrors && editor.kind !== 'prompt'}
    <section aria-label={say('What the database is asked')}>
      <h2 class="mb-1 text-[15px] font-[660]">{say('What the database is asked')}</h2>
      <!-- it scrolls, by keys too -->
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <pre
        class="max-h-[220px] overflow-auto rounded-base bg-paper p-2.5 font-mono text-[12.5px]/[1.5] whitespace-pre-wrap"
        tabindex="0">{#each pieces as p, i (i)}{#if p.isValue}<b class="text-amber">{p.text}</b>{:else}{p.text}{/if}{/each}</pre>
      {#if explained.reads_whole_table}<p class="text-sm text-amber">{say('It reads a table from its first record to its last.')}</p>{/if}
    </section>
  {/if}
  {#if run.result && run.report && !hasErrors && editor.kind !== 'prompt'}
    <section aria-label={say('Records of the trial')} class="min-w-0" aria-busy={!!run.running}>
      {#if run.result.several}
        <div class="mb-1 flex items-baseline justify-between">
          <h2 class="text-[15px] font-[660]">{say('As readers see it')}</h2>
          <button type="button" class="btn-plain" onclick={() => (whole = !whole)}>{whole ? say('Records only') : say('Figures and charts too')}</button>
        </div>
        {#if whole}<Sections {run} sections={run.result.sections} />{:else}{@render rows(
            run.result.sections.find((s) => s.kind === 'table') ?? run.result.sections[0]!,
          )}{/if}
      {:else}
        <h2 class="mb-1 text-[15px] font-[660]">
          <span role="status">{receipt?.records === undefined ? say('Records') : counted(receipt.records, '{0} record|{0} records')}</span>
        </h2>
        {@render rows(run.result.sections[0]!)}
      {/if}
      {#if receipt && run.result.several}<Evidence {receipt} />{/if}
      {#if (editor.kind === 'query' || editor.kind === 'report') && receipt?.evidence}
        <p class="mt-2"><button type="button" class="btn-plain" onclick={() => void prove()}>{say('Make a proof of this')}</button></p>
      {/if}
    </section>
  {:else if run.running}
    <p class="text-sm text-quiet" role="status">
      {say('Reading…')} <button type="button" class="btn-plain" onclick={() => run.running?.abort()}>{say('Cancel')}</button>
    </p>
  {/if}
</div>

{#snippet rows(section: NonNullable<typeof run.result>['sections'][number])}
  <Numbers {section} label={say('Records')} />
{/snippet}
