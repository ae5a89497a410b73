<script lang="ts">
  import { monthName, say } from '../lib/words';
  import { parseDate } from '@internationalized/date';
  import { DatePicker } from '@skeletonlabs/skeleton-svelte';

  // The picker only picks: what it hands on is an ISO day, which the service
  // reads like any other text.
  let { day, records, pick }: { day?: string; records: (month: string) => Promise<Set<string>>; pick: (iso: string) => void } = $props();

  // the calendar is made anew each time it opens

  // svelte-ignore state_referenced_locally
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

  const trigger = 'block cursor-pointer rounded-[3px] py-[5px] hover:bg-tint data-[outside-range]:text-quiet';
  const chosen = 'chosen bg-deep text-on-deep hover:text-ink';
  const marked = "has relative after:absolute after:bottom-[3px] after:start-[calc(50%-6px)] after:w-3 after:border-b-2 after:border-mark after:content-['']";

  const looks = (iso: string) => [trigger, iso === day && chosen, marks(iso.slice(0, 7))?.has(iso) && marked].filter(Boolean).join(' ');
</script>

{#snippet cells(grid: { value: number; label: string }[][])}
  <DatePicker.Table class="w-full border-collapse">
    <DatePicker.TableBody>
      {#each grid as row, i (i)}
        <DatePicker.TableRow>
          {#each row as cell (cell.value)}
            <DatePicker.TableCell class="p-0 text-center" value={cell.value}
              ><DatePicker.TableCellTrigger class={trigger}>{cell.label}</DatePicker.TableCellTrigger></DatePicker.TableCell
            >
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
  <DatePicker.Content>
    <DatePicker.View view="day">
      <DatePicker.Context>
        {#snippet children(picker)}
          <DatePicker.ViewControl
            class="mb-1.5 flex items-center justify-between [&_button]:min-w-[34px] [&_button]:cursor-pointer [&_button]:rounded-[3px] [&_button]:px-2 [&_button]:py-[3px] [&_button]:font-[640] [&_button:hover]:bg-tint"
          >
            <DatePicker.PrevTrigger aria-label={say('Month before')}>‹</DatePicker.PrevTrigger>
            <span>
              <button type="button" onclick={() => picker().setView('month')}>{monthName(picker().focusedValue.month)}</button>
              <button type="button" onclick={() => picker().setView('year')}>{picker().focusedValue.year}</button>
            </span>
            <DatePicker.NextTrigger aria-label={say('Month after')}>›</DatePicker.NextTrigger>
          </DatePicker.ViewControl>
          <DatePicker.Table class="w-full border-collapse">
            <DatePicker.TableHead>
              <DatePicker.TableRow>
                {#each picker().weekDays as weekday (weekday.long)}
                  <DatePicker.TableHeader class="py-[3px] text-[13px] font-normal text-quiet" aria-label={weekday.long}
                    >{weekday.short.slice(0, 2)}</DatePicker.TableHeader
                  >
                {/each}
              </DatePicker.TableRow>
            </DatePicker.TableHead>
            <DatePicker.TableBody>
              {#each picker().weeks as week, i (i)}
                <DatePicker.TableRow>
                  {#each week as value (value.toString())}
                    <DatePicker.TableCell class="p-0 text-center" {value}
                      ><DatePicker.TableCellTrigger class={looks(value.toString())}>{value.day}</DatePicker.TableCellTrigger></DatePicker.TableCell
                    >
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
          <DatePicker.ViewControl
            class="mb-1.5 flex items-center justify-between [&_button]:min-w-[34px] [&_button]:cursor-pointer [&_button]:rounded-[3px] [&_button]:px-2 [&_button]:py-[3px] [&_button]:font-[640] [&_button:hover]:bg-tint"
          >
            <DatePicker.PrevTrigger aria-label={say('Year before')}>‹</DatePicker.PrevTrigger>
            <button type="button" onclick={() => picker().setView('year')}>{picker().focusedValue.year}</button>
            <DatePicker.NextTrigger aria-label={say('Year after')}>›</DatePicker.NextTrigger>
          </DatePicker.ViewControl>
          {@render cells(picker().getMonthsGrid({ columns: 4, format: 'short' }))}
        {/snippet}
      </DatePicker.Context>
    </DatePicker.View>
    <DatePicker.View view="year">
      <DatePicker.Context>
        {#snippet children(picker)}
          <DatePicker.ViewControl
            class="mb-1.5 flex items-center justify-between [&_button]:min-w-[34px] [&_button]:cursor-pointer [&_button]:rounded-[3px] [&_button]:px-2 [&_button]:py-[3px] [&_button]:font-[640] [&_button:hover]:bg-tint"
          >
            <DatePicker.PrevTrigger aria-label={say('Ten years before')}>‹</DatePicker.PrevTrigger>
            <span>{say('Pick a year')}</span>
            <DatePicker.NextTrigger aria-label={say('Ten years after')}>›</DatePicker.NextTrigger>
          </DatePicker.ViewControl>
          {@render cells(picker().getYearsGrid({ columns: 4 }))}
        {/snippet}
      </DatePicker.Context>
    </DatePicker.View>
  </DatePicker.Content>
</DatePicker>
{#if Object.values(known).some((days) => days.size > 0)}<p class="mt-1.5 flex items-center gap-1.5 text-[13px] text-quiet">
    <span class="w-3 border-b-2 border-mark"></span>
    {say('days that have records')}
  </p>{/if}
