<script lang="ts">
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

  let panel = $state<HTMLElement>();
  let button = $state<HTMLElement>();
  let Calendar = $state<Component<{ day?: string; records: (month: string) => Promise<Set<string>>; pick: (iso: string) => void }>>();
  let open = $state(false);
  let clock = $state('');

  // The calendar is loaded when somebody first wants one.
  async function toggle() {
    if (!units) Calendar ??= (await import('./Calendar.svelte')).default;
    panel?.togglePopover();
  }

  function place(event: ToggleEvent) {
    open = event.newState === 'open';
    if (!open || !panel || !button) return;
    clock = time ?? '';
    const at = button.getBoundingClientRect();
    panel.style.top = `${Math.max(8, Math.min(at.bottom + 4, innerHeight - (time ? 390 : 340)))}px`;
    panel.style.left = `${Math.max(8, Math.min(at.right - 280, innerWidth - 300))}px`;
  }

  function pick(text: string) {
    oninput(time ? `${text} ${clock.trim()}` : text);
    panel?.hidePopover();
    button?.focus();
  }
</script>

<div class="field" class:invalid>
  <input
    {id}
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
  <button bind:this={button} type="button" aria-label="Pick {label} from {units ? 'a list' : 'a calendar'}" aria-expanded={open} onclick={toggle}>
    <svg width="15" height="15" viewBox="0 0 15 15" aria-hidden="true" fill="none" stroke="currentColor">
      <rect x="1.5" y="2.5" width="12" height="11" rx="1" /><path d="M1.5 6h12M4.5 1v3M10.5 1v3" />
    </svg>
  </button>
</div>
<div bind:this={panel} popover="auto" class="panel" ontoggle={place} role="dialog" aria-label="{units ? 'List' : 'Calendar'} for {label}">
  {#if units && open}
    <UnitList {units} {day} {pick} />
  {:else if Calendar && open}
    {#if time}
      <label class="clock">at this time of day <input type="text" autocomplete="off" bind:value={clock} /></label>
    {/if}
    <Calendar {day} {records} {pick} />
  {/if}
</div>

<style>
  .field {
    display: flex;
    border: 1px solid var(--edge);
    border-radius: 4px;
    background: var(--field);
  }
  .invalid {
    border-color: var(--brick);
  }
  .field input {
    flex: 1;
    min-width: 0;
    background: transparent;
    border: 0;
    padding: 6px 2px 6px 10px;
    color: var(--ink);
  }
  input::placeholder {
    color: var(--quiet);
    opacity: 1;
  }
  button {
    padding: 0 8px;
    color: var(--quiet);
    cursor: pointer;
  }
  button:hover {
    color: var(--ink);
  }
  .clock {
    display: flex;
    justify-content: space-between;
    align-items: center;
    gap: 8px;
    font-size: 13.5px;
    color: var(--quiet);
    padding: 0 0 8px 4px;
  }
  .clock input {
    width: 84px;
    border: 1px solid var(--edge);
    border-radius: 4px;
    background: var(--field);
    color: var(--ink);
    padding: 3px 8px;
  }
  .panel {
    position: fixed;
    inset: auto;
    margin: 0;
    width: 280px;
    border: 1px solid var(--edge);
    border-radius: 5px;
    background: var(--card);
    color: var(--ink);
    padding: 10px;
    box-shadow: 0 8px 24px -12px #0008;
  }
</style>
