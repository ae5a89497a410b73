<script lang="ts">
  import { say } from '../lib/words';
  import { tick, type Snippet } from 'svelte';
  import { inRows } from '../lib/layout';
  import type { Edit, Part } from './api';
  import type { DraftEditor } from './draft.svelte';
  import { movable } from './movable';
  import { entries, entry, findingsAt, items, moveTo, textOf } from './part';

  // The sections of a report as they will lie on its page: figures and charts that follow each other stand side by side.
  // They are put in order by drag and by keys; the fields of the one that is chosen stand below.
  type Props = {
    editor: DraftEditor;
    part: Part | undefined;
    path: string;
    /** The fields of a section. */
    fields: Snippet<[index: number]>;
  };
  let { editor, part, path, fields }: Props = $props();

  let chosen = $state(0);
  let over = $state(-1);

  const sections = $derived(
    items(part).map((section, i) => {
      const kind = entries(section)[0]?.key ?? '';
      const of = entry(section, kind);
      const query = textOf(entry(of, 'query'));
      return { i, kind, label: textOf(entry(of, 'label')) || textOf(entry(of, 'summary')) || query || say('nothing yet'), query };
    }),
  );
  // What is added is what one goes on with.
  let many = -1;
  $effect(() => {
    if (many >= 0 && sections.length > many) chosen = sections.length - 1;
    many = sections.length;
  });
  const rows = $derived(inRows(sections));
  const at = (i: number) => `${path}/${i}`;
  const faulty = (i: number) => findingsAt(editor.draft?.findings ?? [], at(i)).some((f) => !f.warning);

  async function move(edits: Edit[]) {
    const to = edits[0]?.path;
    if (to === undefined || !(await editor.edit(edits))) return;
    chosen = Number(to.split('/').at(-1));
    await tick();
    document.querySelector<HTMLElement>(`[data-section="${CSS.escape(at(chosen))}"]`)?.focus();
  }

  function remove(i: number) {
    void editor.edit([{ op: 'remove', path: at(i) }]);
    chosen = Math.max(0, chosen - 1);
  }

  const ways = (i: number) =>
    movable(() => ({
      sort: 'section',
      path: at(i),
      list: { path, index: i, of: sections.length },
      over: (is) => (over = is ? i : -1),
      move: (edits) => void move(edits),
      remove: () => remove(i),
    }));
  const small = 'cursor-pointer px-1 text-[13px] text-quiet hover:text-deep';
</script>

<div class="grid gap-2 rounded-base bg-paper p-3" role="list" aria-label={say('The sections in their order')}>
  {#each rows as row (row[0]!.i)}
    <div class="grid gap-2 {row[0]!.kind === 'table' ? '' : 'grid-cols-[repeat(auto-fit,minmax(150px,1fr))]'}" role="presentation">
      {#each row as s (s.i)}
        <div role="listitem" class="border-s-3 {over === s.i ? 'border-deep' : 'border-transparent'}">
          <button
            type="button"
            class="w-full cursor-pointer rounded-base border bg-card px-3 py-2 text-start hover:bg-tint {s.i === chosen ? 'border-deep' : 'border-line'}"
            aria-pressed={s.i === chosen}
            aria-label={say('{0} {1}, {2} of {3}{4}', s.kind, s.label, s.i + 1, sections.length, faulty(s.i) ? say(', with errors') : '')}
            title={say('Alt with the arrows moves it, Delete removes it')}
            data-section={at(s.i)}
            draggable="true"
            onclick={() => (chosen = s.i)}
            {...ways(s.i)}
          >
            <span class="block text-[12.5px] text-quiet">{s.kind}{s.query && s.query !== s.label ? say(' of {0}', s.query) : ''}</span>
            <span class="block font-[640] [overflow-wrap:anywhere] {faulty(s.i) ? 'text-brick' : ''}">{s.label}</span>
          </button>
        </div>
      {/each}
    </div>
  {/each}
</div>
{#if sections[chosen]}
  <div class="rounded-base border border-line px-3 py-2" role="group" aria-label={say('sections {0}', chosen + 1)}>
    <p class="mb-1 flex items-baseline gap-2 text-sm text-quiet">
      <span class="flex-1">{say('Section {0} of {1}', chosen + 1, sections.length)}</span>
      <button
        type="button"
        class={small}
        disabled={chosen === 0}
        aria-label={say('Move sections {0} up', chosen + 1)}
        onclick={() => void move(moveTo(at(chosen), path, chosen - 1))}>↑</button
      >
      <button
        type="button"
        class={small}
        disabled={chosen === sections.length - 1}
        aria-label={say('Move sections {0} down', chosen + 1)}
        onclick={() => void move(moveTo(at(chosen), path, chosen + 2))}>↓</button
      >
      <button type="button" class={small} aria-label={say('Remove sections {0}', chosen + 1)} onclick={() => remove(chosen)}>{say('remove')}</button>
    </p>
    {@render fields(chosen)}
  </div>
{/if}
