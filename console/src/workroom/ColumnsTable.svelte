<script lang="ts">
  import { say } from '../lib/words';
  import { listReadings, type Reading, type Schema } from './api';
  import type { DraftEditor } from './draft.svelte';
  import Findings from './Findings.svelte';
  import { entries, entry, find, findingsAt, pointer, textOf } from './part';
  import PartForm from './PartForm.svelte';
  import Piece from './Piece.svelte';

  // The columns of a dataset, a line each: what people read, what the values mean, and of dates some stored values
  // beside what they are read as.
  type Props = { editor: DraftEditor; schema: Schema; names: Record<string, string[]> };
  let { editor, schema, names }: Props = $props();

  const columns = $derived(entries(find(editor.draft?.form, '/columns')));
  const of = $derived((schema.properties?.columns?.oneOf?.[0]?.additionalProperties ?? {}) as Schema);
  const types = $derived((of.properties?.type?.enum ?? []).map(String));
  const key = $derived((entry(editor.draft?.form, 'key')?.parts ?? []).map((e) => textOf(e.part)));
  let readings = $state.raw<Record<string, Reading>>({});

  let asked = '';
  $effect(() => {
    const state = `${editor.draft?.version}`;
    if (!editor.draft?.sound || state === asked) return;
    asked = state;
    listReadings(editor.name).then(
      (all) => (readings = Object.fromEntries(all.map((r) => [r.column, r]))),
      () => {}, // the trial says what is wrong
    );
  });

  function change(path: string, name: string, value: string, had: boolean) {
    if (value === '' && had) void editor.edit([{ op: 'remove', path: `${path}/${name}` }]);
    else if (value !== '') void editor.edit([{ op: had ? 'set' : 'add', path: `${path}/${name}`, value: value as never }]);
  }

  const cell = 'border-b border-line px-2 py-1.5 align-top';
</script>

<h2 class="mt-2 mb-1 text-sm font-[640]">{say('Columns')}</h2>
<!-- it scrolls, by keys too -->
<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div class="overflow-x-auto" tabindex="0" role="region" aria-label={say('Columns')}>
  <table class="w-full border-collapse text-sm">
    <thead>
      <tr
        >{#each [say('Name'), say('Label'), say('Means'), say('More')] as head (head)}<th
            scope="col"
            class="border-b-[1.5px] border-edge px-2 py-1 text-start font-[640]">{head}</th
          >{/each}</tr
      >
    </thead>
    <tbody>
      {#each columns as c, i (i)}
        {@const path = `/columns${pointer(c.key)}`}
        {@const label = textOf(entry(c.part, 'label'))}
        {@const reading = readings[c.key]}
        <tr>
          <th scope="row" class="{cell} text-start font-[600]"
            >{c.key}{#if key.includes(c.key)}<span class="font-normal text-quiet">{' '}{say('key')}</span>{/if}</th
          >
          <td class={reading ? 'px-2 pt-1.5 align-top' : cell}
            ><input
              class="input w-[140px] bg-field text-sm"
              aria-label={say('Label of {0}', c.key)}
              value={label}
              onchange={(e) => change(path, 'label', e.currentTarget.value, !!entry(c.part, 'label'))}
            /></td
          >
          <td class={reading ? 'px-2 pt-1.5 align-top' : cell}>
            <select
              class="select w-[110px] bg-field text-sm"
              aria-label={say('What {0} means', c.key)}
              value={textOf(entry(c.part, 'type'))}
              onchange={(e) => change(path, 'type', e.currentTarget.value, !!entry(c.part, 'type'))}
            >
              {#if !types.includes(textOf(entry(c.part, 'type')))}<option value={textOf(entry(c.part, 'type'))}
                  >{textOf(entry(c.part, 'type')) || 'choose'}</option
                >{/if}
              {#each types as t (t)}<option value={t}>{t}</option>{/each}
            </select>
          </td>
          <td class={reading ? 'px-2 pt-1.5 align-top' : cell}>
            <Piece
              text={entries(c.part)
                .filter((e) => !['label', 'type'].includes(e.key))
                .map((e) => `${e.key} ${textOf(e.part)}`)
                .join(', ') || '…'}
              names={say('More of {0}', c.key)}
              look={findingsAt(editor.draft?.findings ?? [], path).some((f) => !f.warning) ? 'wrong' : 'quiet'}
              {path}
            >
              <PartForm {editor} schema={of} root={schema} {path} name={c.key} {names} asOf="" reload={() => {}} />
              <div class="mt-2 flex flex-wrap gap-2 border-t border-line pt-2">
                <button
                  type="button"
                  class="btn-plain"
                  onclick={() =>
                    void editor.edit(
                      key.includes(c.key)
                        ? [{ op: 'remove', path: `/key/${key.indexOf(c.key)}` }]
                        : [
                            entry(editor.draft?.form, 'key')
                              ? { op: 'add', path: '/key/-', value: c.key as never }
                              : { op: 'add', path: '/key', before: 'columns', value: [c.key] as never },
                          ],
                    )}>{key.includes(c.key) ? say('Not of the key') : say('Make it of the key')}</button
                >
                <button type="button" class="btn-plain" onclick={() => void editor.edit([{ op: 'remove', path }])}>{say('Remove')}</button>
              </div>
            </Piece>
          </td>
        </tr>
        {#if reading}
          <tr>
            <td colspan="4" class="border-b border-line px-2 pb-1.5 text-quiet">
              <ul class="flex flex-wrap gap-x-5">
                {#each reading.values.slice(0, 4) as v, n (n)}
                  <li class="whitespace-nowrap">
                    <code class="bg-transparent p-0 text-ink">{v.stored}</code>
                    {say('is read as')}
                    {#if v.means}<b class="font-[600] text-ink">{v.means}</b>{:else}<b class="font-[600] text-brick">{say('no date')}</b>{/if}
                  </li>
                {/each}
              </ul>
              {#if reading.unread > 0}<p class="text-brick">{say('{0} of {1} are no dates in this form.', reading.unread, reading.looked)}</p>{/if}
            </td>
          </tr>
        {/if}
        {#if findingsAt(editor.draft?.findings ?? [], path).length > 0}
          <tr><td colspan="4"><Findings {editor} findings={findingsAt(editor.draft?.findings ?? [], path)} /></td></tr>
        {/if}
      {/each}
    </tbody>
  </table>
</div>
