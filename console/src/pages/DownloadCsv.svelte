<script lang="ts">
  import { say } from '../lib/words';
  import { popup } from '../lib/popup';
  import { csvDates, csvForm, keepCsvForm, type CsvForm } from '../lib/csv';
  import type { ReportRun } from '../lib/run.svelte';

  // Downloads a section as CSV, in the form that its reader's spreadsheet program reads.
  let { run, section, disabled, label = 'CSV' }: { run: ReportRun; section: number; disabled: boolean; label?: string } = $props();

  let form = $state(csvForm());

  function choose(change: Partial<CsvForm>) {
    form = { ...form, ...change };
    keepCsvForm(form);
  }

  const select = 'select w-auto py-1 text-sm text-ink';
</script>

<span class="inline-flex items-baseline gap-1 print:hidden">
  <button
    type="button"
    class="btn-plain disabled:cursor-not-allowed disabled:opacity-55"
    onclick={() => run.download('csv', section)}
    {disabled}
    aria-label={say('Download CSV')}>{label}</button
  >
  <details use:popup class="relative">
    <summary class="btn-plain cursor-pointer list-none px-1.5 [&::-webkit-details-marker]:hidden" aria-label={say('How CSV is written')}>⋯</summary>
    <div class="popup end-0 flex w-72 flex-col gap-2">
      <label class="flex items-center justify-between gap-3">
        {say('Between fields')}
        <select class={select} value={form.separator} onchange={(e) => choose({ separator: e.currentTarget.value as CsvForm['separator'] })}>
          <option value="comma">{say('comma')}</option>
          <option value="semicolon">{say('semicolon')}</option>
          <option value="tab">{say('tab')}</option>
        </select>
      </label>
      <label class="flex items-center justify-between gap-3">
        {say('Decimals')}
        <select class={select} value={form.decimal} onchange={(e) => choose({ decimal: e.currentTarget.value as CsvForm['decimal'] })}>
          <option value="point">12.50</option>
          <option value="comma">12,50</option>
        </select>
      </label>
      <label class="flex items-center justify-between gap-3">
        {say('Days')}
        <select class={select} value={form.dates} onchange={(e) => choose({ dates: e.currentTarget.value })}>
          {#each csvDates as dates (dates)}<option value={dates}>{dates || 'yyyy-MM-dd (ISO 8601)'}</option>{/each}
        </select>
      </label>
      <label class="flex items-center gap-2">
        <input type="checkbox" class="checkbox" checked={form.mark} onchange={(e) => choose({ mark: e.currentTarget.checked })} />
        {say('Byte-order mark, where letters come out wrong')}
      </label>
      <p class="text-quiet">{say('This browser remembers it.')}</p>
    </div>
  </details>
</span>
