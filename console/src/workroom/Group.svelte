<script lang="ts">
  import { numberText, say } from '../lib/words';
  import { tick } from 'svelte';
  import AddCondition from './AddCondition.svelte';
  import type { Words } from './api';
  import Condition from './Condition.svelte';
  import type { DraftEditor } from './draft.svelte';
  import Findings from './Findings.svelte';
  import Group from './Group.svelte';
  import { movable } from './movable';
  import { findingsAt, groups, moveTo, partsOf, pointer, wrap, type Logic, type Node } from './part';
  import { conditionWords } from './spoken';
  import PickPiece from './PickPiece.svelte';
  import Piece from './Piece.svelte';

  // A node of criteria: a condition, a filter, or a group with what is in it. Nodes of a group are moved by drag, by
  // Alt with the arrows, and by their menu.
  type Props = {
    editor: DraftEditor;
    words?: Words;
    node: Node;
    asOf: string;
    reload: () => void;
    /** How many records there would be with another word for a group, by the path of the group and the word. */
    counts?: Record<string, number>;
    /** Where it stands in its group; absent for what stands alone. */
    list?: { path: string; index: number; of: number };
    /** Words in front of it. */
    lead?: string;
  };
  let { editor, words, node, asOf, reload, counts = {}, list, lead = '' }: Props = $props();

  const findings = $derived(editor.draft?.findings ?? []);
  const filters = $derived((words?.filters ?? []).map((f) => ({ value: f, text: f })));
  let over = $state(false);

  const said: Record<Logic, string> = { all: say('of these hold'), any: say('of these holds'), none: say('of these holds') };
  // What a screen reader says of it as a whole.
  const label = $derived.by(() => {
    if (node.is === 'group') return `${node.logic} ${said[node.logic]}`;
    if (node.is === 'filter') return say('the filter {0} holds', node.name);
    if (node.is === 'other') return say('{0} is no condition yet', node.text || 'nothing');
    const { column, op, operand } = conditionWords(node, words);
    return `${column} ${op} ${operand}`.trim();
  });
  const count = (n: number | undefined) => (n === undefined ? '' : numberText(n));

  async function move(edits: ReturnType<typeof moveTo>, to?: string) {
    if (!(await editor.edit(edits)) || !to) return;
    await tick();
    document.querySelector<HTMLElement>(`[data-node="${CSS.escape(to)}"]`)?.focus();
  }

  /** Adds a node to this group. */
  function append(value: unknown) {
    if (node.is === 'group') void editor.edit([{ op: 'add', path: `${node.path}${pointer(node.logic)}/-`, value: value as never }]);
  }

  function remove() {
    return editor.edit([{ op: 'remove', path: node.path }]);
  }

  /** Out of its group, behind it. */
  function out() {
    const group = partsOf(list!.path).slice(0, -1);
    return editor.edit(moveTo(node.path, pointer(...group.slice(0, -1)), Number(group.at(-1)) + 1));
  }

  const canGoOut = $derived(!!list && /\/\d+\/(all|any|none)$/.test(list.path));

  type Action = { text: string; do: () => unknown };
  const actions = $derived<Action[]>([
    ...(list && list.index > 0 ? [{ text: say('Move up'), do: () => move(moveTo(node.path, list.path, list.index - 1)) }] : []),
    ...(list && list.index < list.of - 1 ? [{ text: say('Move down'), do: () => move(moveTo(node.path, list.path, list.index + 2)) }] : []),
    ...(list ? groups.map((logic) => ({ text: say('Put into a group of its own: {0}', logic), do: () => editor.edit(wrap(node.path, logic)) })) : []),
    ...(canGoOut ? [{ text: say('Take out of this group'), do: out }] : []),
    { text: say('Remove'), do: remove },
  ]);

  const ways = movable(() => ({
    sort: 'node',
    path: node.path,
    list,
    over: (is) => (over = is),
    move: (edits, to) => void move(edits, to),
    remove: () => void remove(),
  }));
</script>

{#snippet menu()}
  <Piece text="⋯" names={say('More for this condition')} look="quiet">
    {#snippet children(close)}
      <ul class="grid">
        {#each actions as a (a.text)}
          <li>
            <button
              type="button"
              class="w-full cursor-pointer px-2 py-1 text-start hover:bg-tint focus:bg-tint"
              onclick={() => {
                close();
                void a.do();
              }}>{a.text}</button
            >
          </li>
        {/each}
      </ul>
    {/snippet}
  </Piece>
{/snippet}

<!-- a node is moved by keys when it has the focus itself -->
<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div
  class={over ? 'border-t-2 border-deep' : 'border-t-2 border-transparent'}
  role="group"
  aria-label={label}
  tabindex={list ? 0 : -1}
  data-node={node.path}
  draggable={!!list}
  {...ways}
>
  {#if lead}<b class="font-[640]">{lead}</b>{/if}
  {#if node.is === 'group'}
    <PickPiece
      text={node.logic}
      names={say('Of the conditions below')}
      path={node.path + pointer(node.logic)}
      label={say('Which of them must hold')}
      chosen={node.logic}
      options={groups.map((g) => ({
        value: g,
        text: g,
        note: `${g === 'all' ? say('each of them holds') : g === 'any' ? say('one of them holds at least') : say('not one of them holds')}${counts[`${node.path} ${g}`] === undefined ? '' : say(': {0} records', count(counts[`${node.path} ${g}`]))}`,
      }))}
      pick={(to) => {
        if (to !== node.logic) void editor.edit([{ op: 'rename', path: node.path + pointer(node.logic), name: to }]);
      }}
    />
    <span class="text-quiet"
      >{said[node.logic]}{#if counts[`${node.path} any`] !== undefined && counts[`${node.path} all`] !== undefined}{' '}({count(
          counts[`${node.path} ${node.logic}`],
        )}; {node.logic === 'any'
          ? say('all of them: {0}', count(counts[`${node.path} all`]))
          : say('any of them: {0}', count(counts[`${node.path} any`]))}){/if}</span
    >
    {#if list}{@render menu()}{/if}
    <Findings {editor} findings={findings.filter((f) => f.path === node.path || f.path === node.path + pointer(node.logic))} />
    <div class="ms-1.5 border-s-2 border-mark ps-4">
      {#each node.nodes as child, i (child.path)}
        <Group {editor} {words} node={child} {asOf} {reload} {counts} list={{ path: node.path + pointer(node.logic), index: i, of: node.nodes.length }} />
      {/each}
      <div class="flex gap-3">
        <AddCondition {words} add={append} />
        <PickPiece
          text={say('+ group')}
          names={say('Add')}
          look="add"
          label={say('A group of which kind?')}
          options={groups.map((g) => ({ value: g, text: g, note: said[g] }))}
          pick={(logic) => append({ [logic]: [] })}
        />
        {#if filters.length > 0}
          <PickPiece
            text={say('+ filter')}
            names={say('Add')}
            look="add"
            label={say('Which filter?')}
            options={filters}
            pick={(filter) => append({ filter })}
          />
        {/if}
      </div>
    </div>
  {:else}
    {#if node.is === 'condition'}
      <Condition {editor} {words} {node} {asOf} {reload} boundary={counts[`${node.path} boundary`]} {menu} />
    {:else if node.is === 'filter'}
      <span class="text-quiet">{say('the filter')}</span>
      <PickPiece
        text={node.name}
        names={say('Filter')}
        path={node.path}
        label={say('Another filter')}
        chosen={node.name}
        options={filters}
        pick={(filter) => void editor.edit([{ op: 'set', path: `${node.path}/filter`, value: filter as never }])}
      >
        {#snippet below()}
          <p class="mt-2 border-t border-line pt-2 text-sm">
            <a href="/workroom/filter/{encodeURIComponent(node.name)}">{say('The filter {0}', node.name)}</a>
          </p>
        {/snippet}
      </PickPiece>
      <span class="text-quiet">{say('holds')}</span>
    {:else}
      <code class="border-b-2 border-dotted border-brick">{node.text || 'nothing'}</code> <span class="text-quiet">{say('is no condition yet')}</span>
    {/if}
    {#if node.is !== 'condition'}{@render menu()}{/if}
    <Findings {editor} findings={findingsAt(findings, node.path)} />
  {/if}
</div>
