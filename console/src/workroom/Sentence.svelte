<script lang="ts">
  import { say } from '../lib/words';
  import type { Edit, Schema, Words } from './api';
  import Criteria from './Criteria.svelte';
  import type { DraftEditor } from './draft.svelte';
  import Findings from './Findings.svelte';
  import { columnOptions, entries, entry, findingsAt, items, moveTo, pointer, textOf } from './part';
  import PartForm from './PartForm.svelte';
  import PickPiece from './PickPiece.svelte';
  import Piece from './Piece.svelte';

  // A query or a filter as a sentence that is edited in place.
  type Props = {
    editor: DraftEditor;
    words?: Words;
    schema: Schema;
    names: Record<string, string[]>;
    asOf: string;
    reload: () => void;
    counts: Record<string, number>;
  };
  let { editor, words, schema, names, asOf, reload, counts }: Props = $props();

  const form = $derived(editor.draft?.form);
  const findings = $derived(editor.draft?.findings ?? []);
  const isQuery = $derived(editor.kind === 'query');
  const isSummary = $derived(!!entry(form, 'summaries') || !!entry(form, 'group'));
  const label = (name: string) => (words?.columns.find((c) => c.name === name)?.label ?? name).toLowerCase();
  const unknown = (name: string) => !!words && !words.columns.some((c) => c.name === name);
  const columns = $derived(columnOptions(words));
  const show = $derived(items(entry(form, 'show')).map(textOf));
  const group = $derived(items(entry(form, 'group')));
  const summaries = $derived(entries(entry(form, 'summaries')));
  const sort = $derived(items(entry(form, 'sort')).map(textOf));
  // A summary is sorted by its groups and figures.
  const sortable = $derived(isSummary ? [...group.map(groupName), ...summaries.map((s) => s.key)].map((n) => ({ value: n, text: n })) : columns);

  function groupName(part: (typeof group)[number]): string {
    return textOf(part) || (entries(part)[0]?.key ?? '');
  }

  function groupText(part: (typeof group)[number]): string {
    const by = entries(part)[0];
    if (!by) return label(textOf(part));
    return say(
      '{0} by {1}{2}',
      label(by.key),
      textOf(entry(by.part, 'by')).replaceAll('-', ' '),
      textOf(entry(by.part, 'fill')) === 'true' ? say(', none left out') : '',
    );
  }

  function figureText(key: string, part: (typeof group)[number]): string {
    const named = textOf(entry(part, 'label'));
    if (textOf(part) === 'count') return named || key;
    const of = entries(part).find((e) => !['label', 'scale'].includes(e.key));
    const what = of ? say('{0} of {1}', of.key, textOf(of.part) || items(of.part).map(textOf).join(' by ')) : key;
    return named ? `${named} (${what})` : what;
  }

  const direction = (text: string) => {
    const m = /^(.*?)(?: (ascending|descending))?$/.exec(text);
    return { column: m?.[1] ?? text, down: m?.[2] === 'descending' };
  };

  function sortText(text: string): string {
    const { column, down } = direction(text);
    const type = words?.columns.find((c) => c.name === column)?.type;
    const dated = type === 'date' || type === 'datetime' || type === 'instant';
    const number = type === 'integer' || type === 'decimal' || type === 'number' || (isSummary && summaries.some((s) => s.key === column));
    const order = dated
      ? down
        ? say('newest first')
        : say('oldest first')
      : number
        ? down
          ? say('greatest first')
          : say('least first')
        : down
          ? say('Z to A')
          : say('A to Z');
    return `${label(column)}, ${order}`;
  }

  /** Figures in place of records, or records in place of figures. */
  function turned(): Edit[] {
    const gone = (isSummary ? ['summaries', 'group', 'having', 'sort'] : ['show', 'sort'])
      .filter((k) => entry(form, k))
      .map((k) => ({ op: 'remove' as const, path: `/${k}` }));
    if (isSummary) return [...gone, { op: 'add', path: '/show', before: 'where', value: (words?.columns ?? []).slice(0, 6).map((c) => c.name) as never }];
    return [...gone, { op: 'add', path: '/summaries', value: { records: { count: 'records' } } as never }];
  }

  function set(path: string, value: string) {
    void editor.edit([{ op: 'set', path, value: value as never }]);
  }

  /** Adds an item to a list of the definition that may not be there yet. */
  function append(key: string, value: unknown, before: string) {
    const there = entry(form, key);
    void editor.edit([there ? { op: 'add', path: `/${key}/-`, value: value as never } : { op: 'add', path: `/${key}`, before, value: [value] as never }]);
  }

  const listActions = (path: string, i: number, of: number) => [
    ...(i > 0 ? [{ text: say('Move forward'), edits: moveTo(`${path}/${i}`, path, i - 1) }] : []),
    ...(i < of - 1 ? [{ text: say('Move back'), edits: moveTo(`${path}/${i}`, path, i + 2) }] : []),
    { text: say('Remove'), edits: [{ op: 'remove' as const, path: `${path}/${i}` }] },
  ];
</script>

{#snippet actions(path: string, i: number, of: number, close: () => void)}
  <div class="mt-2 flex flex-wrap gap-2 border-t border-line pt-2">
    {#each listActions(path, i, of) as a (a.text)}
      <button
        type="button"
        class="btn-plain"
        onclick={() => {
          close();
          void editor.edit(a.edits);
        }}>{a.text}</button
      >
    {/each}
  </div>
{/snippet}

<div role="group" aria-label={say('As a sentence')} class="say rounded-container border border-line bg-card px-6 py-4 text-[18px]/[1.75]">
  {#if isQuery}
    <div>
      {#if isSummary}
        <b class="font-[640]">{say('Count up')}</b>
        {#each summaries as s, i (i)}
          <Piece
            text={figureText(s.key, s.part)}
            names={say('Figure')}
            path={`/summaries${pointer(s.key)}`}
            after={i < summaries.length - 1 ? ', ' : ''}
            look={findingsAt(findings, `/summaries${pointer(s.key)}`).some((f) => !f.warning) ? 'wrong' : 'data'}
          >
            {#snippet children(close)}
              <PartForm
                {editor}
                schema={schema.properties?.summaries?.additionalProperties as Schema}
                root={schema}
                path={`/summaries${pointer(s.key)}`}
                name={s.key}
                {names}
                {words}
                {asOf}
                {reload}
              />
              <div class="mt-2 border-t border-line pt-2">
                <button
                  type="button"
                  class="btn-plain"
                  onclick={() => {
                    close();
                    void editor.edit([{ op: 'remove', path: `/summaries${pointer(s.key)}` }]);
                  }}>{say('Remove')}</button
                >
              </div>
            {/snippet}
          </Piece>
        {/each}
        <PickPiece
          text={say('+ figure')}
          names={say('Add')}
          look="add"
          label={say('A figure of what?')}
          options={[
            { value: '', text: say('How many records') },
            ...(words?.columns ?? [])
              .filter((c) => ['integer', 'decimal', 'number'].includes(c.type))
              .map((c) => ({ value: c.name, text: say('Sum of {0}', c.label), note: c.name })),
          ]}
          pick={(of) => {
            const key = of === '' ? 'records' : `sum_of_${of.toLowerCase().replace(/\W+/g, '_')}`;
            const value = of === '' ? { count: 'records' } : { sum: of };
            void editor.edit([
              entry(form, 'summaries')
                ? { op: 'add', path: `/summaries${pointer(key)}`, value: value as never }
                : { op: 'add', path: '/summaries', before: 'sort', value: { [key]: value } as never },
            ]);
          }}
        />
        <b class="font-[640]">{say('by')}</b>
        {#each group as g, i (i)}
          {#if i > 0}{say('and')}{/if}
          <Piece
            text={groupText(g)}
            names={say('Put together by')}
            path={`/group/${i}`}
            look={findingsAt(findings, `/group/${i}`).some((f) => !f.warning) ? 'wrong' : 'data'}
          >
            {#snippet children(close)}
              <PartForm
                {editor}
                schema={schema.properties?.group?.items as Schema}
                root={schema}
                path={`/group/${i}`}
                name={say('group')}
                {names}
                {words}
                {asOf}
                {reload}
              />
              {@render actions('/group', i, group.length, close)}
            {/snippet}
          </Piece>
        {/each}
        <PickPiece
          text={say('+ group')}
          names={say('Add')}
          look="add"
          label={say('Put together by which column?')}
          options={columns}
          pick={(name) => {
            const dated = ['date', 'datetime', 'instant'].includes(words?.columns.find((c) => c.name === name)?.type ?? '');
            append('group', dated ? { [name]: { by: 'month', fill: true } } : name, 'summaries');
          }}
        />
      {:else}
        <b class="font-[640]">{say('Show')}</b>
        {#each show as name, i (i)}
          <PickPiece
            text={label(name)}
            names={say('Column')}
            path={`/show/${i}`}
            after={i < show.length - 1 ? ',' : ''}
            look={unknown(name) ? 'wrong' : 'data'}
            label={say('Another column')}
            chosen={name}
            options={columns}
            pick={(to) => set(`/show/${i}`, to)}
          >
            {#snippet below(close)}{@render actions('/show', i, show.length, close)}{/snippet}
          </PickPiece>
        {/each}
        <PickPiece
          text={say('+ column')}
          names={say('Add')}
          look="add"
          label={say('Which column?')}
          options={columns.filter((c) => !show.includes(c.value))}
          pick={(name) => append('show', name, 'where')}
        />
      {/if}
      <Piece text={isSummary ? say('or show records') : say('or count up')} names={say('Instead')} look="add">
        {#snippet children(close)}
          <p class="mb-2 max-w-[320px] text-sm">
            {say(
              '{0} Undo brings them back.',
              isSummary
                ? say('The figures and groups give way to columns of the records themselves.')
                : say('The columns give way to figures: how many, sums, averages, by groups.'),
            )}
          </p>
          <button
            type="button"
            class="btn-plain"
            onclick={() => {
              close();
              void editor.edit(turned());
            }}>{isSummary ? say('Show records') : say('Count up')}</button
          >
        {/snippet}
      </Piece>
      <b class="font-[640]">{say('of')}</b>
      {@render dataset()}
    </div>
    <Findings
      {editor}
      findings={[...findingsAt(findings, '/show'), ...findingsAt(findings, '/of'), ...findingsAt(findings, '/group'), ...findingsAt(findings, '/summaries')]}
    />
  {:else}
    <div><b class="font-[640]">{say('Of')}</b> {@render dataset()} <b class="font-[640]">{say('those')}</b></div>
  {/if}
  <div class="mt-1">
    <Criteria {editor} {words} path="/where" lead="where" {asOf} {reload} {counts} before={isSummary ? 'group' : 'sort'} />
  </div>
  {#if entry(form, 'having')}
    <div class="mt-1">
      <Criteria
        {editor}
        words={words && { ...words, columns: summaries.map((s) => ({ name: s.key, label: s.key, type: 'number' as const })), operators: words.operators }}
        path="/having"
        lead={say('of which')}
        {asOf}
        {reload}
      />
    </div>
  {/if}
  {#if isQuery}
    <div class="mt-1">
      <b class="font-[640]">{say('sorted by')}</b>
      {#each sort as text, i (i)}
        {@const by = direction(text)}
        <PickPiece
          text={sortText(text)}
          names={say('Sorted by')}
          path={`/sort/${i}`}
          after={i < sort.length - 1 ? say(', then') : ''}
          look={sortable.some((c) => c.value === by.column) || !words ? 'data' : 'wrong'}
          label={say('By another column')}
          chosen={by.column}
          options={sortable}
          pick={(to) => set(`/sort/${i}`, by.down ? `${to} descending` : to)}
        >
          {#snippet above(close)}
            <div class="mb-2 flex gap-2">
              <button
                type="button"
                class="btn-plain"
                onclick={() => {
                  close();
                  set(`/sort/${i}`, by.down ? by.column : `${by.column} descending`);
                }}>{say('Turn round')}</button
              >
            </div>
          {/snippet}
          {#snippet below(close)}{@render actions('/sort', i, sort.length, close)}{/snippet}
        </PickPiece>
      {/each}
      <PickPiece
        text={say('+ sort')}
        names={say('Add')}
        look="add"
        label={say('By which column?')}
        options={sortable.filter((c) => !sort.some((s) => direction(s).column === c.value))}
        pick={(name) => append('sort', name, '')}
      />
      {#if words && !isSummary}<span class="text-quiet">{say('(then {0}, so that the order never changes)', words.key.map(label).join(', '))}</span>{/if}
    </div>
    <Findings {editor} findings={findingsAt(findings, '/sort')} />
  {/if}
</div>

{#snippet dataset()}
  {@const of = textOf(entry(form, 'of'))}
  <PickPiece
    text={words?.title ?? of}
    names={say('Dataset')}
    path="/of"
    look={words ? 'data' : 'wrong'}
    label={say('Another dataset')}
    chosen={of}
    options={(names.dataset ?? []).map((n) => ({ value: n, text: n }))}
    pick={(to) => set('/of', to)}
  >
    {#snippet below()}
      <p class="mt-2 border-t border-line pt-2 text-sm"><a href="/workroom/dataset/{encodeURIComponent(of)}">{say('The dataset {0}', of)}</a></p>
    {/snippet}
  </PickPiece>
{/snippet}
