<script lang="ts">
  import { counted, say } from '../lib/words';
  import { tick } from 'svelte';
  import { messageOf } from '../lib/api';
  import { workroomAt } from '../lib/person.svelte';
  import { currentUrl, follow, go } from '../lib/route.svelte';
  import { ReportRun } from '../lib/run.svelte';
  import Notice from '../parts/Notice.svelte';
  import {
    countVariants,
    definitionSchema,
    dropDraft,
    editDraft,
    getDraft,
    listDefinitions,
    listDrafts,
    listUses,
    listWords,
    renameDefinition,
    saveDraft,
    type Edit,
    type Finding,
    type Named,
    type Schema,
    type Words,
  } from './api';
  import { DraftEditor } from './draft.svelte';
  import ColumnsTable from './ColumnsTable.svelte';
  import FileView from './FileView.svelte';
  import Findings from './Findings.svelte';
  import Theirs from './Theirs.svelte';
  import { criteria, entry, find, items, pathAtPlace, pointer, textOf, type Node } from './part';
  import PartForm from './PartForm.svelte';
  import Piece from './Piece.svelte';
  import Revisions from './Revisions.svelte';
  import { schemaOf } from './schema';
  import Sentence from './Sentence.svelte';
  import Trial from './Trial.svelte';

  // A definition: as a sentence or fields, as a file, and as it would run.
  let { kind, name }: { kind: string; name: string } = $props();

  // the page is made anew for each definition

  // svelte-ignore state_referenced_locally
  const editor = new DraftEditor(kind, name);
  // svelte-ignore state_referenced_locally
  const run = ['query', 'report', 'filter', 'dataset', 'prompt'].includes(kind)
    ? new ReportRun(`${kind}:${name}`, true, () => !!editor.draft?.sound && editor.typed === undefined && editor.busy === 0)
    : undefined;

  let whole = $state.raw<Schema>();
  let names = $state.raw<Record<string, string[]>>({});
  let words = $state.raw<Words>();
  let uses = $state.raw<Named[]>([]);
  let counts = $state.raw<Record<string, number>>({});
  /** How many findings of other definitions are listed. */
  const mostElsewhere = 20;
  type View = 'form' | 'file' | 'both' | 'changes';
  let view = $state<View>((localStorage.getItem('workroom view') as View | null) ?? (innerWidth >= 1700 ? 'both' : 'form'));

  const schema = $derived(whole && schemaOf(whole, kind));
  const form = $derived(editor.draft?.form);
  const findings = $derived(editor.draft?.findings ?? []);
  const isSentence = $derived(kind === 'query' || kind === 'filter');
  /** The columns of a dataset on a table or on SQL have a table of their own. */
  const hasColumns = $derived(kind === 'dataset' && entry(form, 'columns')?.kind === 'mapping');
  const views: [View, string][] = $derived([
    ['form', isSentence ? say('Sentence') : say('Fields')],
    ['file', say('File')],
    ['both', say('Both')],
    ['changes', say('Changes')],
  ]);

  definitionSchema().then(
    (s) => (whole = s),
    () => {}, // the page says that the service does not answer
  );

  async function loadNames() {
    const [all, drafts] = await Promise.all([listDefinitions(), listDrafts()]).catch(() => [[], []] as const);
    const found: Record<string, string[]> = {};
    for (const d of [...all, ...drafts]) (found[d.kind] ??= []).push(d.name);
    names = Object.fromEntries(Object.entries(found).map(([k, n]) => [k, [...new Set(n)].sort()]));
  }
  void loadNames();
  let asked = false;
  $effect(() => {
    if (asked || !editor.draft?.base) return; // a new definition has none
    asked = true;
    listUses(kind, name).then(
      (u) => (uses = u),
      () => {}, // the page says that the service does not answer
    );
  });

  // The dataset whose columns and operators there are to choose from.
  const firstSection = $derived(items(entry(form, 'sections'))[0]?.parts?.[0]?.part);
  const query = $derived(textOf(entry(firstSection, 'query')));
  const dataset = $derived(kind === 'dataset' ? textOf(entry(form, 'of')) || name : textOf(entry(form, 'of')) || textOf(entry(entry(form, 'choices'), 'of')));
  let ofQuery = $state('');
  $effect(() => {
    if (kind !== 'report' || !query) return;
    void listDefinitions().then((all) => (ofQuery = /^of: *(\S+)/m.exec(all.find((d) => d.kind === 'query' && d.name === query)?.text ?? '')?.[1] ?? ''));
  });
  async function loadWords(of: string) {
    const found = await listWords(of).catch(() => undefined);
    words = found?.problem ? undefined : found;
  }
  $effect(() => {
    const of = dataset || ofQuery;
    if (of) void loadWords(of);
    else words = undefined;
  });
  function reload() {
    void loadWords(dataset || ofQuery);
    void loadNames();
  }

  // What other words for the groups would bring.
  const groupsOf = (node: Node | undefined): (Node & { is: 'group' })[] => (node?.is === 'group' ? [node, ...node.nodes.flatMap(groupsOf)] : []);
  const conditionsOf = (node: Node | undefined): (Node & { is: 'condition' })[] =>
    node?.is === 'condition' ? [node] : node?.is === 'group' ? node.nodes.flatMap(conditionsOf) : [];
  let countedFor = '';
  let counting = new AbortController();
  $effect(() => {
    const asked = run?.asked;
    const state = JSON.stringify([asked, editor.draft?.version, editor.draft?.latest]);
    if (!isSentence || !asked || !editor.draft?.sound || !run?.understanding || run.faults.length > 0 || state === countedFor) return;
    const groups = groupsOf(criteria(find(form, '/where'), '/where')).slice(0, 12);
    const bounds = conditionsOf(criteria(find(form, '/where'), '/where'))
      .filter((c) => c.op === 'before' || c.op === 'after')
      .slice(0, 12);
    const wanted: { key: string; edits: Edit[] }[] = groups.flatMap((g) =>
      (['all', 'any', 'none'] as const).map((logic) => ({
        key: `${g.path} ${logic}`,
        edits: (logic === g.logic ? [] : [{ op: 'rename', path: g.path + pointer(g.logic), name: logic }]) as Edit[],
      })),
    );
    for (const c of bounds) wanted.push({ key: `${c.path} boundary`, edits: [{ op: 'rename', path: c.operandPath, name: 'is' }] });
    if (wanted.length === 0) return;
    const timer = setTimeout(() => {
      countedFor = state;
      counting.abort();
      counting = new AbortController();
      countVariants(
        kind,
        name,
        asked,
        wanted.map((w) => w.edits),
        counting.signal,
      ).then(
        (found) => (counts = Object.fromEntries(found.flatMap((c, i) => (c.records === undefined ? [] : [[wanted[i]!.key, c.records]])))),
        () => {}, // without them the words stand alone
      );
    }, 400);
    return () => clearTimeout(timer);
  });

  function look(to: View) {
    view = to;
    localStorage.setItem('workroom view', to);
  }

  /** Opens what a condition is compared with, by the place that it is defined at. */
  async function openPlace(line: number, column: number) {
    if (view === 'file' || view === 'changes') look('form');
    await tick();
    const path = pathAtPlace(form, line, column);
    const condition = document.querySelector<HTMLElement>(`[data-path="${CSS.escape(path)}"]`);
    const node = condition?.closest<HTMLElement>('[data-node]');
    node?.scrollIntoView({ block: 'center' });
    (node?.querySelector<HTMLElement>('[data-path$="/"]') ?? condition)?.click();
  }

  /** Opens a condition that the trial tells of, here or where it is defined. */
  function openAt(at: string) {
    const m = /^(\S+) (\S+):(\d+):(\d+)$/.exec(at);
    if (m && m[1] === kind && m[2] === name) void openPlace(Number(m[3]), Number(m[4]));
    else go(workroomAt(at));
  }

  // A link to a place opens it once the definition and its words are here.
  let opened = false;
  $effect(() => {
    const at = /^(\d+):(\d+)$/.exec(currentUrl().searchParams.get('at') ?? '');
    if (!at || !form || opened || (isSentence && !words)) return;
    opened = true;
    void openPlace(Number(at[1]), Number(at[2]));
  });

  function key(event: KeyboardEvent) {
    const target = event.target as HTMLElement;
    if (!(event.ctrlKey || event.metaKey) || target.closest('.cm-editor, input, textarea')) return;
    const k = event.key.toLowerCase();
    if (k === 'z') void editor.step(event.shiftKey ? 'redo' : 'undo');
    else if (k === 'y') void editor.step('redo');
    else return;
    event.preventDefault();
  }

  async function drop() {
    try {
      await dropDraft(kind, name);
      if (editor.draft?.base) await editor.load(true);
      else go('/workroom');
    } catch (cause) {
      editor.note = messageOf(cause);
    }
  }

  let newName = $state('');
  async function rename(event: SubmitEvent) {
    event.preventDefault();
    try {
      await renameDefinition(kind, name, newName.trim());
      go(`/workroom/${kind}/${encodeURIComponent(newName.trim())}`);
    } catch (cause) {
      editor.note = messageOf(cause);
    }
  }

  /** Adds the question that a report is said not to ask. */
  async function askThere(f: Finding) {
    // eslint-disable-next-line no-restricted-syntax -- a finding names the question nowhere else yet
    const prompt = /prompt "([^"]+)"/.exec(f.message)?.[1];
    if (!prompt) return;
    try {
      const there = await getDraft(f.kind, f.name);
      await editDraft(f.kind, f.name, there.version, [{ op: 'add', path: '/prompts/-', value: prompt as never }]);
      await editor.load(true);
    } catch (cause) {
      editor.note = messageOf(cause);
    }
  }

  let copyName = $state('');
  async function copy(event: SubmitEvent) {
    event.preventDefault();
    const to = copyName.trim();
    try {
      const first = await saveDraft(kind, to, 0, editor.text);
      await editDraft(kind, to, first.version, [{ op: 'set', path: `/${kind}`, value: to as never }]);
      go(`/workroom/${kind}/${encodeURIComponent(to)}`);
    } catch (cause) {
      editor.note = messageOf(cause);
    }
  }

  const kindWords: Record<string, string> = {
    query: say('Query'),
    filter: say('Filter'),
    prompt: say('Question'),
    report: say('Report'),
    dataset: say('Dataset'),
    source: say('Source'),
    proof: say('Proof'),
    period: say('Period of the business'),
  };
  const standing = $derived.by(() => {
    const d = editor.draft;
    if (!d) return '';
    if (!editor.isDraft) return say('published, revision {0}', d.latest);
    if (d.base === 0) return say('new, not published yet');
    return say('draft, {0} since revision {1}', counted(d.changes.length, '{0} change|{0} changes'), d.base);
  });
</script>

<svelte:head><title>{say('{0} · Workroom · Pike Gate', name)}</title></svelte:head>
<svelte:window onkeydown={key} />

<div class="grid min-h-[calc(100vh-52px)] {run ? 'grid-cols-[minmax(0,1fr)_452px] max-[1000px]:grid-cols-1' : ''}">
  <section class="min-w-0 px-7 py-5 max-[700px]:p-4" aria-label={say('The definition')}>
    <div class="flex flex-wrap items-end justify-between gap-x-4 gap-y-2">
      <div class="min-w-0">
        <h1 class="text-[25px]/[1.15] font-[680] break-words">{name}</h1>
        <p class="text-sm text-quiet">
          {kindWords[kind] ?? kind} ·
          <span role="status">{standing}{editor.busy || editor.typed !== undefined ? say(', saving…') : ''}</span>{#if uses.length > 0}{' '}{say('· used by')}
            <Piece text={counted(uses.length, '{0} definition|{0} definitions')} names={say('Used by')} look="quiet">
              <ul class="grid gap-1 text-sm">
                {#each uses as u (`${u.kind} ${u.name}`)}<li>
                    <a href="/workroom/{u.kind}/{encodeURIComponent(u.name)}" onclick={follow}>{u.kind} {u.name}</a>
                  </li>{/each}
              </ul>
            </Piece>{/if}
          {#if editor.draft && editor.draft.base > 0}
            ·
            <Piece text={say('rename')} names={say('Action')} look="quiet">
              <form class="grid gap-2" onsubmit={rename}>
                <label class="text-sm"
                  >{say('A new name, for it and wherever it is used')}
                  <input class="input bg-field text-sm" bind:value={newName} placeholder={name} autocomplete="off" /></label
                >
                <button class="btn-plain" type="submit">{say('Rename and publish')}</button>
              </form>
            </Piece>
          {/if}
          {#if editor.draft}
            ·
            <Piece text={say('copy')} names={say('Action')} look="quiet">
              <form class="grid gap-2" onsubmit={copy}>
                <label class="text-sm">{say('The name of the copy')} <input class="input bg-field text-sm" bind:value={copyName} autocomplete="off" /></label>
                <button class="btn-plain" type="submit">{say('Copy')}</button>
              </form>
            </Piece>
          {/if}
        </p>
      </div>
      <div class="flex flex-wrap items-center gap-2">
        <button type="button" class="btn-plain" disabled={!editor.draft?.undo} onclick={() => void editor.step('undo')} title="Ctrl Z">{say('Undo')}</button>
        <button type="button" class="btn-plain" disabled={!editor.draft?.redo} onclick={() => void editor.step('redo')} title="Ctrl Shift Z"
          >{say('Redo')}</button
        >
        <div class="flex overflow-hidden rounded-base border border-line text-sm" role="group" aria-label={say('View')}>
          {#each views as [v, text] (v)}
            <button
              type="button"
              class="cursor-pointer px-3 py-1 {view === v ? 'bg-tint font-[640] text-deep' : 'bg-card'} {v === 'both' ? 'max-[1000px]:hidden' : ''}"
              aria-pressed={view === v}
              onclick={() => look(v)}>{text}</button
            >
          {/each}
        </div>
        {#if kind === 'dataset' && editor.draft?.sound}
          <a class="btn-plain no-underline" href="/workroom/start?dataset={encodeURIComponent(name)}" onclick={follow}>{say('New report of it')}</a>
        {/if}
        <a class="btn bg-deep text-on-deep no-underline" href="/workroom/changes" onclick={follow}>{say('Check and publish')}</a>
      </div>
    </div>
    <div class="mt-3.5 grid gap-2">
      {#if editor.failed}<Notice kind="failed">{editor.failed}</Notice>{/if}
      {#if editor.note}<Notice kind="failed">{editor.note}</Notice>{/if}
      {#each editor.draft?.others ?? [] as o (o.person)}<Notice kind="warning">{say('{0} is writing on this {1} too.', o.person, kind)}</Notice>{/each}
      {#if (editor.draft?.theirs?.length ?? 0) > 0}<Theirs {editor} />{/if}
      {#if editor.draft && schema}
        {#if view === 'changes'}
          <Revisions {editor} {drop} />
        {:else}
          <div class="grid min-w-0 gap-4 {view === 'both' ? 'grid-cols-2 max-[1000px]:grid-cols-1' : ''}">
            {#if view !== 'file'}
              <div class="min-w-0">
                {#if !form}
                  <Notice kind="failed">{say('The text is not one that can be read: it is shown as fields again once it is mended in the file.')}</Notice>
                  <Findings {editor} {findings} />
                {:else}
                  {#if editor.draft.stale}
                    <Notice kind="failed">{say('The text cannot be read just now. This is what it said before; mend it in the file.')}</Notice>
                  {/if}
                  <Findings {editor} findings={findings.filter((f) => f.path === '')} />
                  <div inert={editor.draft.stale} class={editor.draft.stale ? 'opacity-60' : ''}>
                    {#if isSentence}
                      <Sentence {editor} {words} {schema} {names} asOf={run?.asOf ?? ''} {reload} {counts} />
                    {:else}
                      <div class="rounded-container border border-line bg-card px-5 py-4">
                        <PartForm
                          {editor}
                          {schema}
                          root={schema}
                          path=""
                          {name}
                          {names}
                          {words}
                          asOf={run?.asOf ?? ''}
                          {reload}
                          without={['pikegate', kind, ...(hasColumns ? ['columns'] : [])]}
                          top
                        />
                        {#if hasColumns}<ColumnsTable {editor} {schema} {names} />{/if}
                      </div>
                    {/if}
                  </div>
                {/if}
              </div>
            {/if}
            {#if view !== 'form'}<FileView {editor} {schema} {names} {words} />{/if}
          </div>
        {/if}
        {#if editor.draft.elsewhere.length > 0}
          <section class="mt-3" aria-label={say('Elsewhere')}>
            <h2 class="mb-1 text-[15px] font-[660]">{say('What this does elsewhere')}</h2>
            {#each editor.draft.elsewhere.slice(0, mostElsewhere) as f, i (i)}
              <p class="border-s-3 px-3 py-1 text-[14.5px] {f.warning ? 'border-amber bg-amber-tint' : 'border-brick bg-brick-tint'}">
                <a href="/workroom/{f.kind}/{encodeURIComponent(f.name)}" onclick={follow}>{f.kind} {f.name}</a>: {f.message}.
                {#if f.code === 'prompt_not_asked'}
                  <button type="button" class="btn-plain py-0.5" onclick={() => void askThere(f)}>{say('Ask it there')}</button>
                {/if}
              </p>
            {/each}
            {#if editor.draft.elsewhere.length > mostElsewhere}<p class="text-sm text-quiet">
                {say('and {0} more', editor.draft.elsewhere.length - mostElsewhere)}
              </p>{/if}
          </section>
        {/if}
      {/if}
    </div>
  </section>
  {#if run}
    <aside class="min-w-0 border-s border-line bg-card max-[1000px]:border-s-0 max-[1000px]:border-t" aria-label={say('As it would run')}>
      <Trial {editor} {run} open={openAt} />
    </aside>
  {/if}
</div>
