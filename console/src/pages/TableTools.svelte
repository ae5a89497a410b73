<script lang="ts">
  import { say } from '../lib/words';
  import { popup } from '../lib/popup';
  import type { Column, ReportInfo, View } from '../lib/api';

  // What a reader may change of a table: its columns and their order, and by what its records are put together.
  let { info, view, see }: { info: ReportInfo['sections'][number]; view: View; see: (view: View) => void } = $props();

  const may = (what: string) => info.reader_may?.includes(what) ?? false;
  const offered = $derived([...info.columns, ...(info.offers ?? [])]);
  const shown = $derived(view.columns ?? info.columns.map((c) => c.name));
  const isChanged = $derived(!!view.columns || !!view.sort || !!view.group);
  const units = ['day', 'week', 'month', 'quarter', 'year', 'weekday', 'month_of_year', 'hour_of_day'];
  const groups = $derived(
    offered.flatMap((c) => {
      if (['date', 'datetime', 'instant'].includes(c.type))
        return units
          .filter((u) => u !== 'hour_of_day' || c.type !== 'date')
          .map((by) => ({ value: `${c.name} ${by}`, text: say('{0}, by {1}', c.label, by.replaceAll('_', ' ')) }));
      return ['decimal', 'number'].includes(c.type) ? [] : [{ value: c.name, text: c.label }];
    }),
  );
  const grouped = $derived([view.group, view.by].filter(Boolean).join(' '));

  // The columns in the order of the list: those that are shown first.
  const listed = $derived(
    [...shown.map((name) => offered.find((c) => c.name === name)), ...offered.filter((c) => !shown.includes(c.name))].filter((c): c is Column => !!c),
  );

  const columns = (names: string[]) => see({ ...view, columns: names });
  const toggle = (name: string) => columns(shown.includes(name) ? shown.filter((n) => n !== name) : [...shown, name]);

  function move(name: string, by: number) {
    const names = [...shown];
    const at = names.indexOf(name);
    const other = names[at + by];
    if (other === undefined) return;
    [names[at], names[at + by]] = [other, name];
    columns(names);
  }

  function group(value: string) {
    const [name, by] = value.split(' ');
    const { columns, sort: _, ...rest } = view;
    see({ ...rest, columns, group: name || undefined, by: by as View['by'] });
  }
</script>

<div class="flex flex-wrap items-start gap-x-3 gap-y-1.5 text-sm print:hidden">
  {#if may('columns') && !view.group}
    <details use:popup class="relative">
      <summary class="btn-plain cursor-pointer list-none">{say('Columns')}</summary>
      <ul class="popup w-72">
        {#each listed as column (column.name)}
          {@const isShown = shown.includes(column.name)}
          <li class="flex items-center gap-1.5 py-0.5">
            <label class="flex flex-1 items-center gap-2">
              <input type="checkbox" class="checkbox" checked={isShown} disabled={isShown && shown.length === 1} onchange={() => toggle(column.name)} />
              {column.label}
            </label>
            {#if isShown}
              <button type="button" class="btn-plain px-1.5 py-0" aria-label={say('Move {0} forward', column.label)} onclick={() => move(column.name, -1)}
                >↑</button
              >
              <button type="button" class="btn-plain px-1.5 py-0" aria-label={say('Move {0} back', column.label)} onclick={() => move(column.name, 1)}>↓</button
              >
            {/if}
          </li>
        {/each}
      </ul>
    </details>
  {/if}
  {#if may('group')}
    <label class="flex items-center gap-1.5 text-quiet">
      {say('Group by')}
      <select class="select w-auto py-1 text-sm text-ink" value={grouped} onchange={(e) => group(e.currentTarget.value)}>
        <option value="">{say('nothing')}</option>
        {#each groups as g (g.value)}<option value={g.value}>{g.text}</option>{/each}
      </select>
    </label>
  {/if}
  {#if isChanged}<button type="button" class="btn-plain" onclick={() => see({})}>{say('As published')}</button>{/if}
</div>
