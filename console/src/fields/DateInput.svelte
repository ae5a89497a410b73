<script lang="ts">
  import { say } from '../lib/words';
  import { Popover, Portal } from '@skeletonlabs/skeleton-svelte';
  import type { Component } from 'svelte';
  import type { Offer } from '../lib/api';
  import UnitList from './UnitList.svelte';

  type Props = {
    id: string;
    label: string;
    value: string;
    /** The day that the service understood, ISO; where a calendar opens. */
    day?: string;
    /** For moments: the time of day that goes with a day picked. Without it no clock is shown. */
    time?: string;
    /** For months, quarters and years: those to pick from, in place of a calendar. */
    units?: Offer[];
    placeholder?: string;
    /** The days of a month, yyyy-MM, that have records. */
    records: (month: string) => Promise<Set<string>>;
    describedby: string;
    invalid: boolean;
    oninput: (text: string) => void;
  };
  let { id, label, value, day, time, units, placeholder, records, describedby, invalid, oninput }: Props = $props();

  type Picker = { day?: string; records: (month: string) => Promise<Set<string>>; pick: (iso: string) => void };
  let Calendar = $state<Component<Picker>>();
  let open = $state(false);
  let clock = $state('');

  // The calendar is loaded when somebody first wants one.
  async function turn(to: boolean) {
    if (to && !units) Calendar ??= (await import('./Calendar.svelte')).default;
    if (to) clock = time ?? '';
    open = to;
  }

  function pick(text: string) {
    oninput(time ? `${text} ${clock.trim()}` : text);
    open = false;
  }
</script>

<Popover {open} onOpenChange={(details) => void turn(details.open)} positioning={{ placement: 'bottom-end', gutter: 4 }} autoFocus={false}>
  <div class="flex rounded-base border bg-field {invalid ? 'border-brick' : 'border-edge'}">
    <input
      {id}
      class="min-w-0 flex-1 border-0 bg-transparent py-1.5 ps-2.5 pe-0.5 text-ink placeholder:text-quiet"
      type="text"
      autocomplete="off"
      spellcheck="false"
      aria-label={label}
      aria-invalid={invalid}
      aria-describedby={describedby}
      {placeholder}
      {value}
      oninput={(e) => oninput(e.currentTarget.value)}
    />
    <Popover.Trigger
      class="cursor-pointer px-2 text-quiet hover:text-ink"
      aria-label={say('Pick {0} from {1}', label, units ? say('a list') : say('a calendar'))}
    >
      <svg width="15" height="15" viewBox="0 0 15 15" aria-hidden="true" fill="none" stroke="currentColor">
        <rect x="1.5" y="2.5" width="12" height="11" rx="1" /><path d="M1.5 6h12M4.5 1v3M10.5 1v3" />
      </svg>
    </Popover.Trigger>
  </div>
  <Portal>
    <Popover.Positioner class="z-10">
      <Popover.Content
        class="w-[280px] rounded-container border border-edge bg-card p-2.5 text-ink shadow-[0_8px_24px_-12px_#0008]"
        aria-label={say('{0} for {1}', units ? say('List') : say('Calendar'), label)}
      >
        {#if units && open}
          <UnitList {units} {day} {pick} />
        {:else if Calendar && open}
          {#if time}
            <label class="flex items-center justify-between gap-2 ps-1 pb-2 text-[13.5px] text-quiet"
              >{say('at this time of day')} <input class="input w-[84px] bg-field text-sm" type="text" autocomplete="off" bind:value={clock} /></label
            >
          {/if}
          <Calendar {day} {records} {pick} />
        {/if}
      </Popover.Content>
    </Popover.Positioner>
  </Portal>
</Popover>
