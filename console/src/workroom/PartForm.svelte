<script lang="ts">
  import { say } from '../lib/words';
  import type { Edit, Part, Schema, Words } from './api';
  import Criteria from './Criteria.svelte';
  import type { DraftEditor } from './draft.svelte';
  import Findings from './Findings.svelte';
  import Layout from './Layout.svelte';
  import { entries, find, findingsAt, items, moveTo, pointer, scalarOf, textOf } from './part';
  import PartForm from './PartForm.svelte';
  import { namedBy, wayOf } from './schema';
  import SqlField from './SqlField.svelte';

  // A part of a definition as fields, by the schema of what can stand there.
  type Props = {
    editor: DraftEditor;
    schema: Schema;
    root: Schema;
    path: string;
    /** The key that it stands under. */
    name: string;
    names: Record<string, string[]>;
    words?: Words;
    asOf: string;
    reload: () => void;
    /** Keys that are shown elsewhere. */
    without?: string[];
    top?: boolean;
  };
  let { editor, schema, root, path, name, names, words, asOf, reload, without = [], top = false }: Props = $props();

  const id = $props.id();
  const part = $derived(find(editor.draft?.form, path));
  const way = $derived(wayOf(schema, part, root));
  const findings = $derived(editor.draft?.findings ?? []);
  const own = $derived(findings.filter((f) => f.path === path));
  const refused = $derived(own.some((f) => !f.warning));
  const known = $derived(Object.keys(way.properties ?? {}));
  const there = $derived(entries(part).map((e) => e.key));
  const absent = $derived(known.filter((k) => !there.includes(k) && !without.includes(k)));
  const list = $derived(names[namedBy[name] ?? ''] ?? (isColumn(name) ? (words?.columns.map((c) => c.name) ?? []) : []));
  const isNumber = $derived(way.type === 'integer' || way.type === 'number' || (Array.isArray(way.type) && way.type.includes('number')));
  /** Short words of a list stand beside each other. */
  const isFlowing = $derived(part?.kind === 'list' && items(part).length > 0 && items(part).every((i) => i.kind === 'scalar' && textOf(i).length <= 24));
  const isLong = $derived(name === 'about' || name === 'help' || textOf(part).includes('\n') || textOf(part).length > 70);

  function isColumn(key: string): boolean {
    return ['show', 'key', 'across', 'up', 'split', 'value', 'totals', 'offer', 'sum', 'average', 'least', 'greatest', 'distinct', 'subtotals'].includes(key);
  }

  const humane = (key: string) => key.replaceAll('_', ' ');

  function set(value: unknown) {
    void editor.edit([{ op: 'set', path, value: value as never }]);
  }

  function typed(text: string) {
    if (text !== textOf(part)) set(scalarOf(text, isNumber));
  }

  /** Something to begin with where a key is added. */
  function beginning(of: Schema, key: string): unknown {
    const w = wayOf(of, undefined, root);
    if (w.refers === 'criteria') return { all: [] };
    if (w.enum) return w.enum[0];
    if (w.type === 'boolean') return true;
    if (w.type === 'array') return [];
    if (w.type === 'integer' || w.type === 'number') return 1;
    if (w.type === 'object' || w.properties) {
      const needed = Object.fromEntries((w.required ?? []).map((k) => [k, beginning(w.properties?.[k] ?? {}, k)]));
      return needed;
    }
    return (names[namedBy[key] ?? ''] ?? [])[0] ?? '';
  }

  /** Adds a key where people write it: in front of the first that comes behind it. */
  function add(key: string) {
    const behind = known.slice(known.indexOf(key) + 1);
    const before = there.find((k) => behind.includes(k)) ?? '';
    void editor.edit([{ op: 'add', path: path + pointer(key), before, value: beginning(way.properties![key]!, key) as never }]);
  }

  function addEntry(key: string) {
    if (key.trim() === '' || typeof way.additionalProperties !== 'object') return;
    void editor.edit([{ op: 'add', path: path + pointer(key.trim()), value: beginning(way.additionalProperties, key) as never }]);
  }

  const remove = (at: string): Edit[] => [{ op: 'remove', path: at }];
  const isScalar = (of: Part) => of.kind === 'scalar' || of.kind === 'nothing';
  const field = 'bg-field text-sm';
  const small = 'cursor-pointer px-1 text-[13px] text-quiet hover:text-deep';

  /** The ways in which an item of a list can be begun, where there are several. */
  const kinds = $derived(
    (resolvedItems(way.items).oneOf ?? [])
      .map((w) => Object.keys(w.properties ?? {}))
      .filter((k) => k.length === 1)
      .map((k) => k[0]!),
  );

  function resolvedItems(of: Schema | undefined): Schema {
    return of ?? {};
  }

  function addItem(kind = '') {
    const of = resolvedItems(way.items);
    const begun = kind ? { [kind]: beginning(of.oneOf!.find((w) => w.properties?.[kind])!.properties![kind]!, kind) } : beginning(of, name);
    void editor.edit([part?.kind === 'list' ? { op: 'add', path: `${path}/-`, value: begun as never } : { op: 'set', path, value: [begun] as never }]);
  }
</script>

{#if way.refers === 'criteria'}
  <div class="border-s-2 border-mark ps-3"><Criteria {editor} {words} {path} {asOf} {reload} /></div>
{:else if part?.kind === 'mapping'}
  <div class={top ? 'grid gap-y-3' : 'grid gap-y-2 border-s-2 border-line ps-3'}>
    {#each entries(part).filter((e) => !without.includes(e.key)) as e, i (`${i} ${e.key}`)}
      {@const at = path + pointer(e.key)}
      {@const of = way.properties?.[e.key] ?? (typeof way.additionalProperties === 'object' ? way.additionalProperties : undefined)}
      <div class={isScalar(e.part) && of ? 'grid grid-cols-[150px_minmax(0,1fr)_auto] items-baseline gap-x-3 max-[560px]:grid-cols-1' : 'grid gap-y-1'}>
        <div class="flex items-baseline gap-1.5">
          {#if way.properties?.[e.key]}
            <span class="text-sm font-[640] first-letter:uppercase" title={of?.description}>{humane(e.key)}</span>
          {:else}
            <input
              class="input w-[180px] {field} font-[640]"
              aria-label={say('Name in {0}', humane(name))}
              value={e.key}
              onchange={(ev) => void editor.edit([{ op: 'rename', path: at, name: ev.currentTarget.value }])}
            />
          {/if}
          {#if !(isScalar(e.part) && of)}<button
              type="button"
              class={small}
              aria-label={say('Remove {0}', humane(e.key))}
              onclick={() => void editor.edit(remove(at))}>{say('remove')}</button
            >{/if}
        </div>
        {#if of}
          <div>
            <PartForm {editor} schema={of} {root} path={at} name={e.key} {names} {words} {asOf} {reload} />
          </div>
          {#if isScalar(e.part) && !(way.required ?? []).includes(e.key)}
            <button type="button" class={small} aria-label={say('Remove {0}', humane(e.key))} onclick={() => void editor.edit(remove(at))}
              >{say('remove')}</button
            >
          {/if}
        {:else}
          <p class="text-sm text-quiet">{say('This is edited in the file.')}</p>
        {/if}
      </div>
    {/each}
    <Findings {editor} findings={top ? [] : own} />
    {#if absent.length > 0}
      <p class="flex flex-wrap gap-x-3 gap-y-1 text-sm">
        {#each absent as key (key)}
          <button type="button" class="cursor-pointer text-deep" title={way.properties?.[key]?.description} onclick={() => add(key)}>+ {humane(key)}</button>
        {/each}
      </p>
    {/if}
    {#if typeof way.additionalProperties === 'object'}
      <form
        class="flex items-center gap-2"
        onsubmit={(e) => {
          e.preventDefault();
          const input = e.currentTarget.querySelector('input')!;
          addEntry(input.value);
          input.value = '';
        }}
      >
        <input
          class="input w-[180px] {field}"
          aria-label={say('Another name in {0}', humane(name))}
          placeholder={say('another name')}
          list="{id}-entries"
          autocomplete="off"
        />
        {#if name === 'answers'}<datalist id="{id}-entries"
            >{#each names.prompt ?? [] as n (n)}<option value={n}></option>{/each}</datalist
          >{/if}
        <button class="btn-plain" type="submit">{say('Add')}</button>
      </form>
    {/if}
  </div>
{:else if path === '/sections'}
  <div class="grid gap-2">
    <Layout {editor} {part} {path}>
      {#snippet fields(i)}
        <PartForm {editor} schema={way.items ?? {}} {root} path={`${path}/${i}`} {name} {names} {words} {asOf} {reload} />
      {/snippet}
    </Layout>
    <Findings {editor} findings={own} />
    {@render more()}
  </div>
{:else if way.type === 'array' || part?.kind === 'list'}
  <div class={isFlowing ? 'flex flex-wrap gap-x-5 gap-y-1.5' : 'grid gap-y-1.5'}>
    {#each items(part).keys() as i (i)}
      <div class="flex items-start gap-1.5" role="group" aria-label="{humane(name)} {i + 1}">
        <div class="min-w-0 flex-1">
          <PartForm {editor} schema={resolvedItems(way.items)} {root} path={`${path}/${i}`} {name} {names} {words} {asOf} {reload} />
        </div>
        <div class="flex">
          <button
            type="button"
            class={small}
            disabled={i === 0}
            aria-label={say('Move {0} {1} up', humane(name), i + 1)}
            onclick={() => void editor.edit(moveTo(`${path}/${i}`, path, i - 1))}>↑</button
          >
          <button
            type="button"
            class={small}
            disabled={i === items(part).length - 1}
            aria-label={say('Move {0} {1} down', humane(name), i + 1)}
            onclick={() => void editor.edit(moveTo(`${path}/${i}`, path, i + 2))}>↓</button
          >
          <button type="button" class={small} aria-label={say('Remove {0} {1}', humane(name), i + 1)} onclick={() => void editor.edit(remove(`${path}/${i}`))}
            >{say('remove')}</button
          >
        </div>
      </div>
    {/each}
    <Findings {editor} findings={own} />
    {@render more()}
  </div>
{:else}
  {#if way.enum && way.enum.length > 1}
    <select class="select w-auto {field}" aria-label={humane(name)} aria-invalid={refused} value={textOf(part)} onchange={(e) => set(e.currentTarget.value)}>
      {#if !way.enum.map(String).includes(textOf(part))}<option value={textOf(part)}>{textOf(part) || 'choose'}</option>{/if}
      {#each way.enum as word (word)}<option value={String(word)}>{word}</option>{/each}
    </select>
  {:else if way.type === 'boolean'}
    <input class="checkbox" type="checkbox" aria-label={humane(name)} checked={textOf(part) === 'true'} onchange={(e) => set(e.currentTarget.checked)} />
  {:else if name === 'sql'}
    <SqlField text={textOf(part)} source={textOf(find(editor.draft?.form, '/source'))} prompts={names.prompt ?? []} {refused} change={typed} />
  {:else if isLong}
    <textarea
      class="textarea {field}"
      rows={3}
      aria-label={humane(name)}
      aria-invalid={refused}
      value={textOf(part)}
      onchange={(e) => typed(e.currentTarget.value)}></textarea>
  {:else}
    <input
      class="input {field} {refused ? 'ring-brick' : ''}"
      aria-label={humane(name)}
      aria-invalid={refused}
      value={textOf(part)}
      onchange={(e) => typed(e.currentTarget.value)}
      list={list.length > 0 ? `${id}-list` : undefined}
      autocomplete="off"
    />
    {#if list.length > 0}<datalist id="{id}-list"
        >{#each list as n, i (i)}<option value={n}></option>{/each}</datalist
      >{/if}
  {/if}
  <Findings {editor} findings={findingsAt(findings, path)} />
{/if}

{#snippet more()}
  <p class="flex gap-3 text-sm">
    {#each kinds as kind (kind)}<button type="button" class="cursor-pointer text-deep" onclick={() => addItem(kind)}>+ {humane(kind)}</button>{:else}
      <button type="button" class="cursor-pointer text-deep" onclick={() => addItem()}>+ {humane(name)}</button>
    {/each}
  </p>
{/snippet}
