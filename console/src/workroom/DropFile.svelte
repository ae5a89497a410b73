<script lang="ts">
  import { counted, say } from '../lib/words';
  import { messageOf, Refused, type Fault } from '../lib/api';
  import { go } from '../lib/route.svelte';
  import DataTable from '../parts/DataTable.svelte';
  import Notice from '../parts/Notice.svelte';
  import { loadFile, putFiles, type LoadReport, type SourceInfo } from './api';

  // A file of records: what its columns seem to be and which rows do not fit, before any of it is loaded.
  let { embedded, loaded }: { embedded?: SourceInfo; loaded: () => void } = $props();

  let file = $state.raw<File>();
  let table = $state('');
  let report = $state.raw<LoadReport>();
  let problem = $state('');
  let errors = $state.raw<Fault[]>([]);
  let busy = $state(false);
  let over = $state(false);
  let mode = $state('new');
  let dates = $state<Record<string, string>>({}); // how the dates of a column are written, where that had to be said
  let refuse = $state(false);
  let zone = $state(Intl.DateTimeFormat().resolvedOptions().timeZone);
  let keyColumns = $state('');

  const formats: Record<string, string> = { csv: 'csv', txt: 'csv', tsv: 'csv', xlsx: 'xlsx', json: 'json', ndjson: 'ndjson', jsonl: 'ndjson' };
  const ending = $derived(/\.(\w+)$/.exec(file?.name ?? '')?.[1]?.toLowerCase() ?? '');

  const settings = (dry: boolean) => {
    const s: [string, string][] = [
      ['format', formats[ending] ?? 'csv'],
      ['mode', mode],
      ['dry', String(dry)],
      ['refuse', refuse ? '10000' : '0'],
    ];
    for (const [column, pattern] of Object.entries(dates)) if (pattern) s.push(['dates', `${column}=${pattern}`]);
    for (const column of keyColumns.split(',').map((c) => c.trim())) if (column) s.push(['key', column]);
    return s;
  };

  async function take(chosen: File | undefined) {
    if (!chosen) return;
    file = chosen;
    table = chosen.name
      .replace(/\.\w+$/, '')
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '_')
      .replace(/^[^a-z]+|_+$/g, '');
    dates = {};
    await look();
  }

  async function look() {
    await ask(true);
  }

  async function ask(dry: boolean) {
    if (!file) return;
    busy = true;
    problem = '';
    errors = [];
    try {
      report = await loadFile(table, file, settings(dry));
      if (dry) return;
      if (!embedded) await putFiles([{ name: 'records.yaml', text: `pikegate: 1\nsource: records\ntitle: Records\nzone: ${zone}\n` }]);
      loaded();
      go(`/workroom/data/${encodeURIComponent(embedded?.name ?? 'records')}/${encodeURIComponent(table)}`);
    } catch (cause) {
      problem = messageOf(cause);
      if (cause instanceof Refused) errors = cause.problem.errors ?? [];
      if (!dry || !report) report = undefined;
    } finally {
      busy = false;
    }
  }

  function dropped(event: DragEvent) {
    event.preventDefault();
    over = false;
    void take(event.dataTransfer?.files[0]);
  }

  const refused = $derived(report?.refused ?? []);
</script>

<section
  class="mt-5 rounded-container border-2 border-dashed px-6 py-5 {over ? 'border-deep bg-tint' : 'border-edge bg-card'}"
  aria-label={say('A file of records')}
  ondragover={(e) => {
    e.preventDefault();
    over = true;
  }}
  ondragleave={() => (over = false)}
  ondrop={dropped}
>
  <label class="flex flex-wrap items-center gap-3">
    <span class="font-[640]">{say('Drop a file of records here, or choose one:')}</span>
    <input type="file" accept=".csv,.tsv,.txt,.xlsx,.json,.ndjson,.jsonl" onchange={(e) => void take(e.currentTarget.files?.[0])} />
    <span class="text-sm text-quiet">{say('CSV, XLSX, JSON. Nothing is loaded before you have seen what it would be.')}</span>
  </label>
  {#if file}
    <div class="mt-4 flex flex-wrap items-end gap-3">
      <label class="grid text-sm text-quiet"
        >{say('Table')} <input class="input w-[200px] bg-field text-sm" bind:value={table} onchange={() => void look()} autocomplete="off" /></label
      >
      <label class="grid text-sm text-quiet"
        >{say('If it is there already')}
        <select class="select w-auto bg-field text-sm" bind:value={mode} onchange={() => void look()}>
          <option value="new">{say('do not load')}</option>
          <option value="replace">{say('replace its records')}</option>
          <option value="append">{say('add to them')}</option>
          <option value="update">{say('update by key')}</option>
        </select></label
      >
      {#if mode === 'update'}<label class="grid text-sm text-quiet"
          >{say('Key')}
          <input
            class="input w-[160px] bg-field text-sm"
            bind:value={keyColumns}
            onchange={() => void look()}
            placeholder={say('column, column')}
            autocomplete="off"
          /></label
        >{/if}
      {#if !embedded}<label class="grid text-sm text-quiet"
          >{say('Days are taken by the clock of')} <input class="input w-[200px] bg-field text-sm" bind:value={zone} autocomplete="off" /></label
        >{/if}
      <button type="button" class="btn bg-deep text-on-deep" disabled={busy || !table || (!!problem && !report)} onclick={() => void ask(false)}
        >{busy ? say('Reading…') : report ? say('Load {0}', counted(report.read - report.refusals, '{0} row|{0} rows')) : say('Load')}</button
      >
    </div>
  {/if}
  {#if problem}
    <Notice kind="failed" class="mt-3">{problem}</Notice>
    {#each errors.slice(0, 20) as e, i (i)}
      {#if e.message !== problem}<p class="text-sm">{e.message}</p>{/if}
    {/each}
  {/if}
  {#if report}
    <div class="mt-3 overflow-x-auto">
      <DataTable
        caption={say('What the columns seem to be')}
        heads={[{ text: say('Column') }, { text: say('Seems to be') }, { text: say('Written') }, { text: say('The first rows') }]}
      >
        {#snippet rows()}
          {#each report!.columns as c, i (i)}
            <tr class="[&>td]:border-b [&>td]:border-line [&>td]:px-2.5 [&>td]:py-1 [&>td]:align-top">
              <td class="font-[600]">{c.name}</td>
              <td
                >{c.type}{#if c.share < 1}<span class="text-sm text-amber">{' '}{say('{0} % fit', Math.round(c.share * 100))}</span>{/if}</td
              >
              <td>
                {#if c.or_written}
                  <select
                    class="select w-auto bg-field text-sm"
                    aria-label={say('How {0} is written', c.name)}
                    value={dates[c.name] ?? ''}
                    onchange={(e) => {
                      dates[c.name] = e.currentTarget.value;
                      void look();
                    }}
                  >
                    <option value="">{say('choose: both would fit')}</option>
                    <option value={c.written}>{c.written}</option>
                    <option value={c.or_written}>{c.or_written}</option>
                  </select>
                {:else}<span class="text-quiet">{c.written ?? ''}</span>{/if}
              </td>
              <td class="max-w-[340px] truncate text-sm text-quiet"
                >{report!.sample
                  .slice(0, 4)
                  .map((row) => row[i] ?? '')
                  .join(', ')}</td
              >
            </tr>
          {/each}
        {/snippet}
      </DataTable>
    </div>
    <p class="mt-2 text-sm" role="status">
      {say(
        '{0} read, {1}.',
        counted(report.read, '{0} row|{0} rows'),
        report.refusals === 0 ? say('all fit') : say('{0} do not fit', counted(report.refusals, '{0} row|{0} rows')),
      )}
      {#if report.refusals > 0}<label class="ms-2"
          ><input type="checkbox" class="checkbox" bind:checked={refuse} onchange={() => void look()} /> {say('load without them')}</label
        >{/if}
    </p>
    {#each report.notes ?? [] as note, i (i)}<Notice kind="warning">{note}</Notice>{/each}
    {#if refused.length > 0}
      <details class="text-sm">
        <summary class="cursor-pointer text-deep">{say('Rows that do not fit')}</summary>
        <ul>
          {#each refused.slice(0, 50) as r, i (i)}<li>
              {say('line {0}: {1}', r.line, r.reason)} <span class="text-quiet">{r.fields.join(', ').slice(0, 120)}</span>
            </li>{/each}
        </ul>
      </details>
    {/if}
  {/if}
</section>
