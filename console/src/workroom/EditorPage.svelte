<script lang="ts">
  import { tick } from 'svelte';
  import { counted } from '../lib/format';
  import { follow, go } from '../lib/route.svelte';
  import { ReportRun } from '../lib/run.svelte';
  import Notice from '../parts/Notice.svelte';
  import {
    countVariants,
    definitionSchema,
    dropDraft,
    listDefinitions,
    listDrafts,
    listUses,
    listWords,
    renameDefinition,
    type Edit,
    type Named,
    type Schema,
    type Words,
  } from './api';
  import { DraftEditor } from './draft.svelte';
  import FileView from './FileView.svelte';
  import Findings from './Findings.svelte';
  import Theirs from './Theirs.svelte';
  import { criteria, entry, find, items, pointer, textOf, type Node } from './part';
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
  const run = ['query', 'report', 'filter', 'dataset', 'prompt'].includes(kind) ? new ReportRun(`${kind}:${name}`, true) : undefined;

  let whole = $state.raw<Schema>();
  let names = $state.raw<Record<string, string[]>>({});
  let words = $state.raw<Words>();
  let uses = $state.raw<Named[]>([]);
  let counts = $state.raw<Record<string, number>>({});
  type View = 'form' | 'file' | 'both' | 'changes';
  let view = $state<View>((localStorage.getItem('workroom view') as View | null) ?? (innerWidth >= 1700 ? 'both' : 'form'));

  const schema = $derived(whole && schemaOf(whole, kind));
  const form = $derived(editor.draft?.form);
  const findings = $derived(editor.draft?.findings ?? []);
  const isSentence = $derived(kind === 'query' || kind === 'filter');
  const views: [View, string][] = $derived([
    ['form', isSentence ? 'Sentence' : 'Fields'],
    ['file', 'File'],
    ['both', 'Both'],
    ['changes', 'Changes'],
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
  // svelte-ignore state_referenced_locally
  listUses(kind, name).then(
    (u) => (uses = u),
    () => {}, // a new definition has none
  );

  // The dataset whose columns and operators there are to choose from.
  const query = $derived(textOf(entry(entries0(items(entry(form, 'sections'))[0]), 'query')));
  function entries0(part: typeof form) {
    return part?.parts?.[0]?.part;
  }
  const dataset = $derived(kind === 'dataset' ? textOf(entry(form, 'of')) || name : textOf(entry(form, 'of')) || textOf(entry(entry(form, 'choices'), 'of')));
  let ofQuery = $state('');
  $effect(() => {
    if (kind !== 'report' || !query) return;
    void listDefinitions().then((all) => (ofQuery = /^of: *(\S+)/m.exec(all.find((d) => d.kind === 'query' && d.name === query)?.text ?? '')?.[1] ?? ''));
  });
  async function loadWords(of: string) {
    words = await listWords(of).catch(() => undefined);
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
  let countedFor = '';
  let counting = new AbortController();
  $effect(() => {
    const asked = run?.asked;
    const state = JSON.stringify([asked, editor.draft?.version, editor.draft?.latest]);
    if (!isSentence || !asked || editor.errors.length > 0 || !run?.understanding || run.faults.length > 0 || state === countedFor) return;
    const groups = groupsOf(criteria(find(form, '/where'), '/where')).slice(0, 12);
    const wanted = groups.flatMap((g) =>
      (['all', 'any', 'none'] as const).map((logic) => ({
        key: `${g.path} ${logic}`,
        edits: (logic === g.logic ? [] : [{ op: 'rename', path: g.path + pointer(g.logic), name: logic }]) as Edit[],
      })),
    );
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

  /** Opens the condition that the trial tells of. */
  async function openSaid(says: string) {
    if (view === 'file' || view === 'changes') look('form');
    await tick();
    const wanted = says.toLowerCase();
    const pieces = [...document.querySelectorAll<HTMLElement>('.say [data-node]')].filter((n) => n.getAttribute('aria-label') === 'Condition');
    const best = pieces.find((n) => {
      const column = n.querySelector('button')?.textContent?.toLowerCase();
      return column && wanted.includes(column);
    });
    best?.querySelectorAll<HTMLElement>('button')[2]?.click();
    best?.scrollIntoView({ block: 'center' });
  }

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
      if (editor.draft?.base) await editor.load();
      else go('/workroom');
    } catch (cause) {
      editor.note = cause instanceof Error ? cause.message : String(cause);
    }
  }

  let newName = $state('');
  async function rename(event: SubmitEvent) {
    event.preventDefault();
    try {
      await renameDefinition(kind, name, newName.trim());
      go(`/workroom/${kind}/${encodeURIComponent(newName.trim())}`);
    } catch (cause) {
      editor.note = cause instanceof Error ? cause.message : String(cause);
    }
  }

  const kindWords: Record<string, string> = {
    query: 'Query',
    filter: 'Filter',
    prompt: 'Question',
    report: 'Report',
    dataset: 'Dataset',
    source: 'Source',
    proof: 'Proof',
    period: 'Period of the business',
  };
  const standing = $derived.by(() => {
    const d = editor.draft;
    if (!d) return '';
    if (!editor.isDraft) return `published, revision ${d.latest}`;
    if (d.base === 0) return 'new, not published yet';
    return `draft, ${counted(d.changes.length, 'change')} since revision ${d.base}`;
  });
</script>

<svelte:head><title>{name} · Workroom · Pike Gate</title></svelte:head>
<svelte:window onkeydown={key} />

<div class="grid min-h-[calc(100vh-52px)] {run ? 'grid-cols-[minmax(0,1fr)_452px] max-[1000px]:grid-cols-1' : ''}">
  <section class="min-w-0 px-7 py-5 max-[700px]:p-4" aria-label="The definition">
    <div class="flex flex-wrap items-end justify-between gap-x-4 gap-y-2">
      <div class="min-w-0">
        <h1 class="text-[25px]/[1.15] font-[680] break-words">{name}</h1>
        <p class="text-sm text-quiet">
          {kindWords[kind] ?? kind} ·
          <span role="status">{standing}{editor.busy || editor.typed !== undefined ? ', saving…' : ''}</span>{#if uses.length > 0}{' '}· used by
            <Piece text={counted(uses.length, 'definition')} names="Used by" look="quiet">
              <ul class="grid gap-1 text-sm">
                {#each uses as u (`${u.kind} ${u.name}`)}<li>
                    <a href="/workroom/{u.kind}/{encodeURIComponent(u.name)}" onclick={follow}>{u.kind} {u.name}</a>
                  </li>{/each}
              </ul>
            </Piece>{/if}
          {#if editor.draft && editor.draft.base > 0}
            ·
            <Piece text="rename" names="Action" look="quiet">
              <form class="grid gap-2" onsubmit={rename}>
                <label class="text-sm"
                  >A new name, for it and wherever it is used <input
                    class="input bg-field text-sm"
                    bind:value={newName}
                    placeholder={name}
                    autocomplete="off"
                  /></label
                >
                <button class="btn-plain" type="submit">Rename and publish</button>
              </form>
            </Piece>
          {/if}
        </p>
      </div>
      <div class="flex flex-wrap items-center gap-2">
        <button type="button" class="btn-plain" disabled={!editor.draft?.undo} onclick={() => void editor.step('undo')} title="Ctrl Z">Undo</button>
        <button type="button" class="btn-plain" disabled={!editor.draft?.redo} onclick={() => void editor.step('redo')} title="Ctrl Shift Z">Redo</button>
        <div class="flex overflow-hidden rounded-base border border-line text-sm" role="group" aria-label="View">
          {#each views as [v, text] (v)}
            <button
              type="button"
              class="cursor-pointer px-3 py-1 {view === v ? 'bg-tint font-[640] text-deep' : 'bg-card'} {v === 'both' ? 'max-[1000px]:hidden' : ''}"
              aria-pressed={view === v}
              onclick={() => look(v)}>{text}</button
            >
          {/each}
        </div>
        <a class="btn bg-deep text-on-deep no-underline" href="/workroom/changes" onclick={follow}>Check and publish</a>
      </div>
    </div>
    <div class="mt-3.5 grid gap-2">
      {#if editor.failed}<Notice kind="failed">{editor.failed}</Notice>{/if}
      {#if editor.note}<Notice kind="failed">{editor.note}</Notice>{/if}
      {#each editor.draft?.others ?? [] as o (o.person)}<Notice kind="warning">{o.person} is writing on this {kind} too.</Notice>{/each}
      {#if (editor.draft?.theirs?.length ?? 0) > 0}<Theirs {editor} />{/if}
      {#if editor.draft && schema}
        {#if view === 'changes'}
          <Revisions {editor} {drop} />
        {:else}
          <div class="grid min-w-0 gap-4 {view === 'both' ? 'grid-cols-2 max-[1000px]:grid-cols-1' : ''}">
            {#if view !== 'file'}
              <div class="min-w-0">
                {#if !form}
                  <Notice kind="failed">The text is not one that can be read: it is shown as fields again once it is mended in the file.</Notice>
                  <Findings {editor} {findings} />
                {:else if isSentence}
                  <Findings {editor} findings={findings.filter((f) => f.path === '')} />
                  <Sentence {editor} {words} {schema} {names} asOf={run?.asOf ?? ''} {reload} {counts} />
                {:else}
                  <Findings {editor} findings={findings.filter((f) => f.path === '')} />
                  <div class="rounded-container border border-line bg-card px-5 py-4">
                    <PartForm {editor} {schema} root={schema} path="" {name} {names} {words} asOf={run?.asOf ?? ''} {reload} without={['pikegate', kind]} top />
                  </div>
                {/if}
              </div>
            {/if}
            {#if view !== 'form'}<FileView {editor} {schema} {names} {words} />{/if}
          </div>
        {/if}
        {#if editor.draft.elsewhere.length > 0}
          <section class="mt-3" aria-label="Elsewhere">
            <h2 class="mb-1 text-[15px] font-[660]">What this does elsewhere</h2>
            {#each editor.draft.elsewhere as f, i (i)}
              <p class="border-l-3 px-3 py-1 text-[14.5px] {f.warning ? 'border-amber bg-amber-tint' : 'border-brick bg-brick-tint'}">
                <a href="/workroom/{f.kind}/{encodeURIComponent(f.name)}" onclick={follow}>{f.kind} {f.name}</a>: {f.message}.
              </p>
            {/each}
          </section>
        {/if}
      {/if}
    </div>
  </section>
  {#if run}
    <aside class="min-w-0 border-l border-line bg-card max-[1000px]:border-t max-[1000px]:border-l-0" aria-label="As it would run">
      <Trial {editor} {run} open={(says) => void openSaid(says)} />
    </aside>
  {/if}
</div>
