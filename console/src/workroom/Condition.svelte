<script lang="ts">
  import { counted, say } from '../lib/words';
  import { tick, type Snippet } from 'svelte';
  import { messageOf } from '../lib/api';
  import type { Words } from './api';
  import type { DraftEditor } from './draft.svelte';
  import Operand from './Operand.svelte';
  import PickPiece from './PickPiece.svelte';
  import Piece from './Piece.svelte';
  import { columnOptions, entry, findingsAt, pointer, textOf, type Node } from './part';
  import { conditionWords } from './spoken';
  import { promptText } from './templates';
  import { saveDraft } from './api';

  // A condition as words: the column, how it is compared, with what.
  type Props = { editor: DraftEditor; words?: Words; node: Node & { is: 'condition' }; asOf: string; reload: () => void; boundary?: number; menu: Snippet };
  let { editor, words, node, asOf, reload, boundary, menu }: Props = $props();

  const column = $derived(words?.columns.find((c) => c.name === node.column));
  const ops = $derived(words?.operators.find((t) => t.type === column?.type)?.operators ?? []);
  const op = $derived(ops.find((o) => o.op === node.op));
  const prompt = $derived(textOf(entry(node.operand, 'prompt')));
  const asked = $derived(words?.prompts.find((p) => p.name === prompt));
  const isBare = $derived(node.op === 'missing' || node.op === 'present');
  const isWrong = (path: string, key: boolean) => findingsAt(editor.draft?.findings ?? [], path, !key).some((f) => !f.warning && !!f.key === key);

  const said = $derived(conditionWords(node, words));

  const columnPath = $derived(node.path + pointer(node.column));

  function setColumn(name: string) {
    if (name !== node.column) void editor.edit([{ op: 'rename', path: columnPath, name }]);
  }

  /** Another operator keeps what it is compared with: what does not fit is told, and nothing is lost. */
  async function setOp(to: string) {
    if (to === node.op) return;
    const toBare = to === 'missing' || to === 'present';
    if (toBare) await editor.edit([{ op: 'set', path: columnPath, value: to as never }]);
    else if (!isBare) await editor.edit([{ op: 'rename', path: node.operandPath, name: to }]);
    else {
      const form = ops.find((o) => o.op === to)?.form;
      const nothing = form === 'values' || form === 'day_list' || form === 'range' ? [''] : '';
      await editor.edit([{ op: 'set', path: columnPath, value: { [to]: nothing } as never }]);
      await tick();
      document.querySelector<HTMLElement>(`[data-path="${CSS.escape(`${columnPath}${pointer(to)}/`)}"]`)?.click(); // with what is asked next
    }
  }

  async function ask(name: string, close: () => void) {
    close();
    if (!column || !op) return;
    try {
      if (!words?.prompts.some((p) => p.name === name)) await saveDraft('prompt', name, 0, promptText(name, column, op, words!.dataset));
      await editor.edit([{ op: 'set', path: node.operandPath, value: (op.form === 'recurs' ? { months: { prompt: name } } : { prompt: name }) as never }]);
      reload();
    } catch (cause) {
      editor.note = messageOf(cause);
    }
  }
</script>

<PickPiece
  text={said.column}
  names={say('Column')}
  look={isWrong(columnPath, true) ? 'wrong' : 'data'}
  path={columnPath}
  label={say('Another column')}
  chosen={node.column}
  options={columnOptions(words)}
  pick={setColumn}
/>
<PickPiece
  text={said.op}
  names={say('How it is compared')}
  look={!op && words ? 'wrong' : 'data'}
  path={node.operandPath}
  label={say('How it is compared')}
  chosen={node.op}
  options={ops.map((o) => ({ value: o.op, text: o.said, note: o.note }))}
  pick={(to) => void setOp(to)}
>
  {#snippet below()}
    {#if column?.type === 'text' && !isBare}
      <label class="mt-2 flex items-center gap-2 border-t border-line pt-2 text-sm"
        ><input
          class="checkbox"
          type="checkbox"
          checked={node.ignoresCase}
          onchange={() =>
            void editor.edit([
              node.ignoresCase ? { op: 'remove', path: `${columnPath}/ignore_case` } : { op: 'add', path: `${columnPath}/ignore_case`, value: true as never },
            ])}
        />
        {say('in any case of letters')}</label
      >
    {/if}
  {/snippet}
</PickPiece>
{#if !isBare}
  <Piece
    text={said.operand}
    names={say('Compared with')}
    look={isWrong(node.operandPath, false) ? 'wrong' : prompt ? 'prompt' : 'data'}
    path="{node.operandPath}/"
  >
    {#snippet children(close)}
      {#if words && column && op}
        <Operand
          {words}
          {column}
          {op}
          {asOf}
          operand={node.operand}
          set={(value) => {
            close();
            void editor.edit([{ op: 'set', path: node.operandPath, value: value as never }]);
          }}
          ask={(name) => void ask(name, close)}
        />
        {#if prompt}<p class="mt-2 border-t border-line pt-2 text-sm">
            <a href="/workroom/prompt/{encodeURIComponent(prompt)}">{say('The question {0}', prompt)}</a>
          </p>{/if}
      {:else}
        <p class="text-sm">{say('Choose a column and an operator that go together first.')}</p>
      {/if}
    {/snippet}
  </Piece>
{/if}
{#if asked?.optional && prompt}<span class="text-quiet">{say('(if answered)')}</span>{:else if op?.note && op.note !== 'both ends included'}<span
    class="text-quiet">{op.note}</span
  >{/if}
{#if node.ignoresCase}<span class="text-quiet">{say('in any case')}</span>{/if}
{@render menu()}
{#if boundary && (node.op === 'before' || node.op === 'after')}
  <div class="my-1 flex flex-wrap items-center gap-x-3 gap-y-1.5 border-s-3 border-amber bg-amber-tint px-3 py-1.5 text-[14.5px]/[1.35]">
    <span class="flex-1"
      >{say(
        '{0} {1} on {2} itself and {3} left out.',
        counted(boundary, '{0} record|{0} records'),
        boundary === 1 ? 'lies' : 'lie',
        said.operand,
        boundary === 1 ? 'is' : 'are',
      )}</span
    >
    <button
      type="button"
      class="btn-plain py-0.5"
      onclick={() => void editor.edit([{ op: 'rename', path: node.operandPath, name: node.op === 'after' ? 'from' : 'through' }])}
      >{say('Include that day')}</button
    >
  </div>
{/if}
