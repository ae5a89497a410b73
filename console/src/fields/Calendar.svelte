<script lang="ts">
  import { parseDate } from '@internationalized/date';
  import { DatePicker } from '@skeletonlabs/skeleton-svelte';

  // The picker only picks: what it hands on is an ISO day, which the service
  // reads like any other text.
  let { day, records, pick }: { day?: string; records: (month: string) => Promise<Set<string>>; pick: (iso: string) => void } = $props();

  // svelte-ignore state_referenced_locally -- the calendar is made anew each time it opens
  const shown = day ? parseDate(day) : undefined;

  // The days that have records are asked for when their month is first shown.
  const asked = new Set<string>();
  let known = $state.raw<Record<string, Set<string>>>({});

  function marks(month: string): Set<string> | undefined {
    if (!asked.has(month)) {
      asked.add(month);
      records(month).then(
        (days) => (known = { ...known, [month]: days }),
        () => {}, // the calendar serves without marks
      );
    }
    return known[month];
  }

  const looks = (iso: string) => [iso === day && 'chosen', marks(iso.slice(0, 7))?.has(iso) && 'has'].filter(Boolean).join(' ');

  const monthName = (month: number) => new Date(2000, month - 1, 1).toLocaleString('en', { month: 'long' });
</script>

{#snippet cells(grid: { value: number; label: string }[][])}
  <DatePicker.Table>
    <DatePicker.TableBody>
      {#each grid as row, i (i)}
        <DatePicker.TableRow>
          {#each row as cell (cell.value)}
            <DatePicker.TableCell value={cell.value}><DatePicker.TableCellTrigger>{cell.label}</DatePicker.TableCellTrigger></DatePicker.TableCell>
          {/each}
        </DatePicker.TableRow>
      {/each}
    </DatePicker.TableBody>
  </DatePicker.Table>
{/snippet}

<DatePicker
  inline
  locale="en-GB"
  startOfWeek={1}
  fixedWeeks
  defaultFocusedValue={shown}
  onValueChange={(details) => details.value[0] && pick(details.value[0].toString())}
>
  <DatePicker.Content class="calendar">
    <DatePicker.View view="day">
      <DatePicker.Context>
        {#snippet children(picker)}
          <DatePicker.ViewControl class="ways">
            <DatePicker.PrevTrigger aria-label="Month before">‹</DatePicker.PrevTrigger>
            <span>
              <button type="button" onclick={() => picker().setView('month')}>{monthName(picker().focusedValue.month)}</button>
              <button type="button" onclick={() => picker().setView('year')}>{picker().focusedValue.year}</button>
            </span>
            <DatePicker.NextTrigger aria-label="Month after">›</DatePicker.NextTrigger>
          </DatePicker.ViewControl>
          <DatePicker.Table>
            <DatePicker.TableHead>
              <DatePicker.TableRow>
                {#each picker().weekDays as weekday (weekday.long)}
                  <DatePicker.TableHeader aria-label={weekday.long}>{weekday.short.slice(0, 2)}</DatePicker.TableHeader>
                {/each}
              </DatePicker.TableRow>
            </DatePicker.TableHead>
            <DatePicker.TableBody>
              {#each picker().weeks as week, i (i)}
                <DatePicker.TableRow>
                  {#each week as value (value.toString())}
                    <DatePicker.TableCell {value}><DatePicker.TableCellTrigger class={looks(value.toString())}>{value.day}</DatePicker.TableCellTrigger></DatePicker.TableCell>
                  {/each}
                </DatePicker.TableRow>
              {/each}
            </DatePicker.TableBody>
          </DatePicker.Table>
        {/snippet}
      </DatePicker.Context>
    </DatePicker.View>
    <DatePicker.View view="month">
      <DatePicker.Context>
        {#snippet children(picker)}
          <DatePicker.ViewControl class="ways">
            <DatePicker.PrevTrigger aria-label="Year before">‹</DatePicker.PrevTrigger>
            <button type="button" onclick={() => picker().setView('year')}>{picker().focusedValue.year}</button>
            <DatePicker.NextTrigger aria-label="Year after">›</DatePicker.NextTrigger>
          </DatePicker.ViewControl>
          {@render cells(picker().getMonthsGrid({ columns: 4, format: 'short' }))}
        {/snippet}
      </DatePicker.Context>
    </DatePicker.View>
    <DatePicker.View view="year">
      <DatePicker.Context>
        {#snippet children(picker)}
          <DatePicker.ViewControl class="ways">
            <DatePicker.PrevTrigger aria-label="Ten years before">‹</DatePicker.PrevTrigger>
            <span>Pick a year</span>
            <DatePicker.NextTrigger aria-label="Ten years after">›</DatePicker.NextTrigger>
          </DatePicker.ViewControl>
          {@render cells(picker().getYearsGrid({ columns: 4 }))}
        {/snippet}
      </DatePicker.Context>
    </DatePicker.View>
  </DatePicker.Content>
</DatePicker>
{#if Object.values(known).some((days) => days.size > 0)}<p class="key"><span></span> days that have records</p>{/if}

<style>
  :global(.calendar .ways) {
    display: flex;
    justify-content: space-between;
    align-items: center;
    margin-bottom: 6px;
  }
  :global(.calendar .ways button) {
    min-width: 34px;
    padding: 3px 8px;
    border-radius: 3px;
    font-weight: 640;
    cursor: pointer;
  }
  :global(.calendar .ways button:hover) {
    background: var(--tint);
  }
  :global(.calendar table) {
    width: 100%;
    border-collapse: collapse;
  }
  :global(.calendar th) {
    font-size: 13px;
    font-weight: 400;
    color: var(--quiet);
    padding: 3px 0;
  }
  :global(.calendar td) {
    padding: 0;
    text-align: center;
  }
  :global(.calendar [data-part='table-cell-trigger']) {
    display: block;
    padding: 5px 0;
    border-radius: 3px;
    cursor: pointer;
  }
  :global(.calendar [data-part='table-cell-trigger']:hover) {
    background: var(--tint);
  }
  :global(.calendar [data-part='table-cell-trigger'][data-outside-range]) {
    color: var(--quiet);
  }
  :global(.calendar [data-part='table-cell-trigger'].has) {
    position: relative;
  }
  :global(.calendar [data-part='table-cell-trigger'].has::after) {
    content: '';
    position: absolute;
    left: calc(50% - 6px);
    bottom: 3px;
    width: 12px;
    border-bottom: 2px solid light-dark(#9fb8b4, #4f7379);
  }
  .key {
    display: flex;
    align-items: center;
    gap: 6px;
    margin-top: 6px;
    font-size: 13px;
    color: var(--quiet);
  }
  .key span {
    width: 12px;
    border-bottom: 2px solid light-dark(#9fb8b4, #4f7379);
  }
  :global(.calendar [data-part='table-cell-trigger'].chosen) {
    background: var(--deep);
    color: var(--on-deep);
  }
</style>
