<script lang="ts">
  import { counted, numberText, say } from '../lib/words';
  import { follow, go } from '../lib/route.svelte';
  import DataTable from '../parts/DataTable.svelte';
  import Notice from '../parts/Notice.svelte';
  import PageHead from '../parts/PageHead.svelte';
  import { messageOf } from '../lib/api';
  import { editDraft, inspectTable, listDefinitions, listDrafts, proposeJoins, saveDraft, type Edit, type JoinProposal, type TableInfo } from './api';
  import { pointer } from './part';

  // What a table holds, and the dataset that it would make.
  let { source, table }: { source: string; table: string } = $props();

  let info = $state.raw<TableInfo>();
  let failed = $state('');

  // svelte-ignore state_referenced_locally
  inspectTable(source, table).then(
    (found) => (info = found),
    (cause: Error) => (failed = cause.message),
  );

  let joins = $state.raw<JoinProposal[]>();
  let joined = $state<Record<string, boolean>>({});
  // svelte-ignore state_referenced_locally
  proposeJoins(source, table).then(
    (found) => (joins = found),
    () => (joins = []), // the table stands here without them
  );
  const nameOfJoin = (j: JoinProposal) => `${j.column} ${j.table}`;

  /** The dataset that is proposed, with the tables that are joined to it and their columns. */
  async function describe() {
    const proposed = /^dataset: *(\S+)/m.exec(info!.proposal)?.[1] ?? table;
    let name = proposed;
    try {
      const there = [...(await listDefinitions()), ...(await listDrafts())].filter((d) => d.kind === 'dataset').map((d) => d.name);
      for (let n = 2; there.includes(name); n++) name = `${proposed}-${n}`; // what is described already stays as it is
      const draft = await saveDraft('dataset', name, 0, info!.proposal.replace(/^dataset: .*$/m, `dataset: ${name}`));
      const chosen = (joins ?? []).filter((j) => joined[nameOfJoin(j)]);
      const edits: Edit[] = [];
      const taken = new Set(info!.columns.map((c) => c.name));
      for (const j of chosen) {
        for (const c of (await inspectTable(source, j.table)).columns.filter((c) => c.name !== j.key)) {
          const as = taken.has(c.name) ? `${j.table}_${c.name}` : c.name;
          taken.add(as);
          const value = { type: c.type, table: j.table, column: as === c.name ? undefined : c.name, scale: c.scale, stored: c.stored, pattern: c.pattern };
          edits.push({ op: 'add', path: `/columns${pointer(as)}`, value: value as never });
        }
      }
      const all = chosen.map((j) => ({ table: j.table, key: [j.key], on: { [j.key]: j.column }, keep: j.lost > 0 ? 'all' : undefined }));
      if (chosen.length > 0) await editDraft('dataset', name, draft.version, [{ op: 'add', path: '/joins', before: 'key', value: all as never }, ...edits]);
    } catch (cause) {
      failed = messageOf(cause);
      return;
    }
    go(`/workroom/dataset/${encodeURIComponent(name)}`);
  }

  const cell = '[&>td]:border-b [&>td]:border-line [&>td]:px-2.5 [&>td]:py-1 [&>td]:align-top';
</script>

<div class="mx-auto max-w-[1180px] px-6 pt-7 pb-15">
  <PageHead title={table}>
    {#snippet about()}<a href="/workroom/data" onclick={follow}>{say('Data')}</a> · {source}{#if info}{' '}{say(
          '· about {0}, {1}{2}',
          counted(info.about, '{0} record|{0} records'),
          info.sampled
            ? say('a sample of {0} from both ends of its key looked at, so that pictures leave the middle out', numberText(info.looked_at))
            : say('all looked at'),
          info.key.length ? say(' · key {0}', info.key.join(', ')) : say(' · no key'),
        )}{/if}{/snippet}
    {#snippet tools()}
      <button type="button" class="btn bg-deep text-on-deep" disabled={!info} onclick={() => void describe()}>{say('Describe it as a dataset')}</button>
    {/snippet}
  </PageHead>
  {#if failed}<Notice kind="failed" class="mt-4">{failed}</Notice>{/if}
  {#if info}
    <div class="mt-4 overflow-x-auto">
      <DataTable
        caption={say('Columns')}
        heads={[
          { text: say('Column') },
          { text: say('Seems to be') },
          { text: say('Spread, or commonest') },
          { text: say('Least') },
          { text: say('Greatest') },
          { text: say('Different'), isNumber: true },
          { text: say('Missing'), isNumber: true },
        ]}
      >
        {#snippet rows()}
          {#each info!.columns as c (c.name)}
            <tr class={cell}>
              <td><b class="font-[640]">{c.name}</b><br /><span class="text-sm text-quiet">{c.database_type}{c.required ? say(', always there') : ''}</span></td
              >
              <td
                >{c.type}{#if c.stored}<span class="text-quiet">, {c.stored}</span>{/if}{#if c.pattern}<br /><code class="bg-transparent p-0 text-sm"
                    >{c.pattern}</code
                  >{/if}{#if c.or_pattern}<span class="text-sm text-amber"
                    >{' '}{say('or')} <code class="bg-transparent p-0">{c.or_pattern}</code>{say(': say which')}</span
                  >{/if}{#if c.or_type}<span class="text-sm text-amber">{' '}{say('or {0}: say which', c.or_type)}</span
                  >{/if}{#if c.share < 1 && c.share > 0}<br /><span class="text-sm text-amber">{say('{0} % fit', (c.share * 100).toFixed(1))}</span>{/if}</td
              >
              <td>
                {#if c.spread}
                  {@const most = Math.max(...c.spread)}
                  <span class="flex h-[34px] w-[150px] items-end gap-px" role="img" aria-label={say('How the values spread from the least to the greatest')}
                    >{#each c.spread as n, i (i)}<span
                        class="flex-1 bg-deep"
                        style:height="{n === 0 ? 0 : Math.max(4, (100 * n) / most)}%"
                        title={numberText(n)}
                      ></span>{/each}</span
                  >
                {:else if c.commonest}
                  <ul class="text-sm">
                    {#each c.commonest.slice(0, 3) as f, i (i)}
                      <li class="grid grid-cols-[110px_56px] items-baseline gap-1.5">
                        <span class="truncate">{f.value || say('empty text')}</span><span class="text-end text-quiet">{numberText(f.records)}</span>
                      </li>
                    {/each}
                  </ul>
                {/if}
              </td>
              <td class="max-w-[200px] truncate">{c.least ?? ''}</td>
              <td class="max-w-[200px] truncate">{c.greatest ?? ''}</td>
              <td class="text-end">{numberText(c.distinct)}</td>
              <td class="text-end" class:text-quiet={c.missing === 0}>{numberText(c.missing)}</td>
            </tr>
          {/each}
        {/snippet}
      </DataTable>
    </div>
    {#if joins && joins.length > 0}
      <h2 class="mt-6 mb-1 text-[17px] font-[660]">{say('Could stand beside them')}</h2>
      <ul>
        {#each joins as j, i (i)}
          <li>
            <label class="flex items-baseline gap-2"
              ><input
                class="checkbox translate-y-0.5"
                type="checkbox"
                checked={joined[nameOfJoin(j)] ?? false}
                onchange={(e) => (joined[nameOfJoin(j)] = e.currentTarget.checked)}
              />
              <span
                ><b class="font-[640]">{j.table}</b>{say(
                  ', found by its {0} from {1}: of {2} {3}{4}.',
                  j.key,
                  j.column,
                  counted(j.looked, '{0} record|{0} records'),
                  j.lost === 0 ? say('each finds one') : say('{0} find none, and are kept without', numberText(j.lost)),
                  j.gained > 0 ? say('; some find several, which makes {0} more', numberText(j.gained)) : '',
                )}</span
              ></label
            >
          </li>
        {/each}
      </ul>
    {/if}
    <h2 class="mt-6 mb-1 text-[17px] font-[660]">{say('Some records')}</h2>
    <!-- it scrolls, by keys too -->
    <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
    <div class="overflow-x-auto" role="region" aria-label={say('Some records')} tabindex="0">
      <DataTable caption={say('Some records')} heads={info.columns.map((c) => ({ text: c.name }))}>
        {#snippet rows()}
          {#each info!.rows as row, i (i)}
            <tr class="{cell} [&>td]:whitespace-nowrap"
              >{#each row as value, c (c)}<td class:text-quiet={value === null}>{value ?? say('missing')}</td>{/each}</tr
            >
          {/each}
        {/snippet}
      </DataTable>
    </div>
    {#if info.indexes.length > 0}
      <h2 class="mt-6 mb-1 text-[17px] font-[660]">{say('Indexes')}</h2>
      <ul class="text-sm">
        {#each info.indexes as x (x.name)}<li>{x.name}: {x.columns.join(', ')}{x.unique ? say(', unique') : ''}</li>{/each}
      </ul>
    {/if}
  {/if}
</div>
