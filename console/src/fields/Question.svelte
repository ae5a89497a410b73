<script lang="ts">
  import { daysWithRecords, type Answers, type Fault, type PromptInfo, type Understood } from '../lib/api';
  import { hasTwoFields, type Field } from '../lib/answers';
  import { counted } from '../lib/format';
  import ChoiceField from './ChoiceField.svelte';
  import DateInput from './DateInput.svelte';
  import Refusals from './Refusals.svelte';
  import Histogram from './Histogram.svelte';

  type Props = {
    prompt: PromptInfo;
    field: Field;
    /** What the service understood of the field as it stands; absent while it is being asked. */
    understood?: Understood;
    faults: Fault[];
    change: (field: Field) => void;
    /** The report, and all answers as they stand, which lists of choices follow. */
    report: string;
    answers: Answers;
  };
  let { prompt, field, understood, faults, change, report, answers }: Props = $props();

  const id = $props.id();
  const faultyAt = (side: 'start' | 'end') => faults.some((f) => (f.place.side ?? 'start') === side);
  const spelled = $derived(understood?.given ? understood.spelled : '');
  const days = $derived(understood?.given && understood.days ? counted(understood.days, 'day') : '');
  const two = $derived(hasTwoFields(prompt));
  const isUnit = $derived(['month', 'quarter', 'year'].includes(prompt.type));
  const hasHistogram = $derived(prompt.type === 'period' || isUnit);
  const isTimed = $derived(prompt.type === 'moment' || prompt.type === 'moment-period');
  /** A label as it stands alone. */
  const alone = (label: string) => label.charAt(0).toUpperCase() + label.slice(1);

  // What the service understood of each of two fields.
  const isPlain = $derived(prompt.type === 'time-range' || prompt.type === 'number-range');
  const first = $derived(understood?.times?.first ?? understood?.least ?? understood?.first_spelled ?? '');
  const last = $derived(understood?.times?.last ?? understood?.most ?? [understood?.last_spelled, days].filter(Boolean).join(' · '));

  // The end that a whole answer in the first field has, as one would type it.
  const understoodEnd = $derived.by(() => {
    const day = understood?.last;
    if (isTimed) return understood?.last_instant?.slice(0, 16).replace('T', ' ') ?? '';
    return prompt.units?.find((u) => day && u.first! <= day && day <= u.last!)?.phrase ?? day ?? '';
  });

  /** The day and the time of day of a moment, by the zone's clocks. */
  const dayOf = (instant?: string) => instant?.slice(0, 10);
  const clockOf = (instant?: string) => instant?.slice(11, instant.slice(17, 19) === '00' ? 16 : 19);

  // Two ends of a suggestion, each of which can stand in a field of its own.
  const bothEnds = /^(?!from )(.+) to (?!date$|now$)(.+)$/;

  // A suggestion for one side goes there; any other is the whole answer.
  function apply(fault: Fault, suggestion: string) {
    const side = two && field.end && !suggestion.includes(' to ') ? fault.place.side : undefined;
    if (prompt.type === 'choice') change({ ...field, values: [...field.values.filter((v) => v !== fault.entered), suggestion] });
    else if (prompt.type === 'days') change({ ...field, start: mended(field.start, fault.entered, suggestion) });
    else if (side) change({ ...field, [side]: suggestion });
    else {
      const [, start, end] = (two && bothEnds.exec(suggestion)) || ['', suggestion, ''];
      change({ ...field, start, end });
    }
  }

  // The lines with the refused one replaced by what would pass.
  function mended(lines: string, refused: string | undefined, suggestion: string): string {
    return lines
      .split('\n')
      .map((line) => (line.trim() === refused?.trim() ? suggestion : line))
      .join('\n');
  }

  function toggle(value: string, on: boolean) {
    const values = prompt.many ? field.values.filter((v) => v !== value) : [];
    change({ ...field, values: on ? [...values, value] : values });
  }
</script>

<fieldset aria-describedby="{id}-faults">
  <legend>{prompt.ask} {#if prompt.help}<span class="help">{prompt.help}</span>{/if}</legend>
  {#if two}
    <div class="two" class:stacked={isTimed}>
      <div>
        <label class="caption" for="{id}-start">{prompt.labels[0]}</label>
        {@render side('start')}
        <p id="{id}-first" class="understood" aria-live="polite">{first}</p>
      </div>
      <div>
        <label class="caption" for="{id}-end">{prompt.labels[1]}</label>
        {@render side('end')}
        <p id="{id}-last" class="understood" aria-live="polite">{last}</p>
      </div>
    </div>
    {#if prompt.type === 'time-range' && spelled.includes('the next day')}<p class="understood">{spelled}</p>{/if}
    {@render remarks()}
  {:else if prompt.type === 'day' || prompt.type === 'moment' || isUnit}
    {#if prompt.labels[0]}<label class="caption" for="{id}-start">{prompt.labels[0]}</label>{/if}
    <DateInput
      id="{id}-start"
      label={prompt.ask}
      value={field.start}
      day={understood?.first ?? dayOf(understood?.first_instant)}
      time={isTimed ? (clockOf(understood?.first_instant) ?? '00:00') : undefined}
      units={isUnit ? (prompt.units ?? []) : undefined}
      records={(month) => daysWithRecords(report, prompt.name, month)}
      describedby="{id}-understood {id}-faults"
      invalid={faults.length > 0}
      oninput={(start) => change({ ...field, start })}
    />
    <p id="{id}-understood" class="understood" aria-live="polite">{spelled}</p>
  {:else if prompt.type === 'days'}
    <textarea
      class:invalid={faults.length > 0}
      rows={Math.max(3, field.start.split('\n').length)}
      aria-label={prompt.ask}
      aria-invalid={faults.length > 0}
      aria-describedby="{id}-understood {id}-faults"
      placeholder="One day on each line"
      value={field.start}
      oninput={(e) => change({ ...field, start: e.currentTarget.value })}
    ></textarea>
    <p id="{id}-understood" class="understood" aria-live="polite">{spelled}</p>
  {:else if prompt.type === 'text'}
    <input
      id="{id}-start"
      class="plain"
      class:invalid={faults.length > 0}
      type="text"
      autocomplete="off"
      aria-label={prompt.ask}
      aria-invalid={faults.length > 0}
      aria-describedby="{id}-faults"
      placeholder={prompt.pattern_help ?? ''}
      value={field.start}
      oninput={(e) => change({ ...field, start: e.currentTarget.value })}
    />
  {:else if prompt.type === 'yes-no'}
    <div class="choices">
      {#each ['yes', 'no'] as word (word)}
        <label>
          <input type="radio" name="{id}-truth" checked={understood?.truth === (word === 'yes')} onchange={() => change({ ...field, start: word })} />
          {word}
        </label>
      {/each}
    </div>
    {#if field.start && !prompt.required}
      <button type="button" class="clear" onclick={() => change({ ...field, start: '' })}>Choose neither</button>
    {/if}
  {:else if prompt.type === 'number'}
    <div class="number" class:invalid={faults.length > 0}>
      <input
        id="{id}-start"
        type="text"
        inputmode="decimal"
        autocomplete="off"
        aria-label={prompt.ask}
        aria-invalid={faults.length > 0}
        aria-describedby="{id}-faults"
        value={field.start}
        oninput={(e) => change({ ...field, start: e.currentTarget.value })}
      />
      {#if prompt.unit}<span class="quiet">{prompt.unit}</span>{/if}
    </div>
  {:else if prompt.type === 'choice' && (prompt.listed || (prompt.choices?.length ?? 0) > 12)}
    <ChoiceField {report} {prompt} {answers} values={field.values} {understood} {toggle} />
    {@render chooseNone()}
  {:else}
    <div class="choices">
      {#each prompt.choices ?? [] as choice (choice.value)}
        <label>
          <input
            type={prompt.many ? 'checkbox' : 'radio'}
            name="{id}-choice"
            checked={field.values.includes(choice.value)}
            onchange={(e) => toggle(choice.value, e.currentTarget.checked)}
          />
          {choice.label}
        </label>
      {/each}
    </div>
    {@render chooseNone()}
  {/if}
  {#if !two}{@render remarks()}{/if}
  {#if prompt.offers}
    <div class="offers">
      {#each prompt.offers as offer (offer.phrase)}
        <button
          type="button"
          class:on={field.start === offer.phrase && !field.end}
          disabled={!!offer.refused}
          title={offer.refused}
          onclick={() => change({ ...field, start: offer.phrase, end: '' })}
        >
          {offer.phrase} <span>{offer.days}</span>
        </button>
      {/each}
    </div>
  {/if}
  {#if hasHistogram}
    <Histogram
      {report}
      prompt={prompt.name}
      first={understood?.first}
      last={understood?.last}
      many={two}
      pick={(start, end) => change({ ...field, start, end })}
    />
  {/if}
</fieldset>

{#snippet chooseNone()}
  {#if field.values.length > 0 && !prompt.required}
    <button type="button" class="clear" onclick={() => change({ ...field, values: [] })}>Choose none</button>
  {/if}
{/snippet}

{#snippet side(which: 'start' | 'end')}
  {@const label = alone(prompt.labels[which === 'start' ? 0 : 1] ?? prompt.ask)}
  {@const moment = which === 'start' ? understood?.first_instant : understood?.last_instant}
  {@const day = (which === 'start' ? understood?.first : understood?.last) ?? dayOf(moment)}
  {#if isPlain}
    <input
      id="{id}-{which}"
      class="plain"
      class:invalid={faultyAt(which)}
      type="text"
      autocomplete="off"
      aria-label={label}
      aria-invalid={faultyAt(which)}
      aria-describedby="{id}-{which === 'start' ? 'first' : 'last'} {id}-faults"
      placeholder={which === 'end' && !field.end ? last : ''}
      value={field[which]}
      oninput={(e) => change({ ...field, [which]: e.currentTarget.value })}
    />
  {:else}
    <DateInput
      id="{id}-{which}"
      {label}
      value={field[which]}
      {day}
      time={isTimed ? (clockOf(moment) ?? (which === 'start' ? '00:00' : '24:00')) : undefined}
      units={isUnit ? (prompt.units ?? []) : undefined}
      placeholder={which === 'end' && !field.end ? understoodEnd : ''}
      records={(month) => daysWithRecords(report, prompt.name, month)}
      describedby="{id}-{which === 'start' ? 'first' : 'last'} {id}-faults"
      invalid={faultyAt(which)}
      oninput={(text) => change({ ...field, [which]: text })}
    />
  {/if}
{/snippet}

{#snippet remarks()}
  {#each understood?.notes ?? [] as note (note)}<p class="note">{note}</p>{/each}
  <Refusals id="{id}-faults" {faults} {apply} />
{/snippet}

<style>
  fieldset {
    margin-bottom: 20px;
    min-width: 0;
  }
  legend {
    font-weight: 640;
    margin-bottom: 6px;
  }
  .help {
    color: var(--quiet);
    font-size: 13.5px;
    font-weight: 400;
  }
  .two {
    display: grid;
    grid-template-columns: repeat(2, minmax(0, 1fr));
    gap: 10px;
  }
  .stacked {
    grid-template-columns: 1fr;
    gap: 6px;
  }
  .caption {
    display: block;
    font-size: 13px;
    color: var(--quiet);
    margin-bottom: 3px;
    white-space: nowrap;
  }
  .understood {
    font-size: 13.5px;
    color: var(--deep);
    margin-top: 4px;
    min-height: 1.42em;
  }
  .note {
    font-size: 13.5px;
    color: var(--amber);
  }
  .offers {
    display: grid;
    gap: 4px;
    margin-top: 8px;
  }
  .offers span {
    color: var(--quiet);
    font-weight: 400;
    text-align: right;
  }
  .offers button {
    display: flex;
    justify-content: space-between;
    gap: 12px;
    text-align: left;
    border: 1px solid var(--line);
    border-radius: 3px;
    padding: 2px 8px;
    font-size: 13.5px;
    background: var(--paper);
    cursor: pointer;
  }
  .offers button:disabled {
    opacity: 0.5;
    cursor: not-allowed;
  }
  .offers .on {
    background: var(--tint);
    border-color: var(--deep);
    color: var(--deep);
    font-weight: 600;
  }
  .number {
    display: flex;
    align-items: center;
    width: 130px;
    border: 1px solid var(--edge);
    border-radius: 4px;
    background: var(--field);
    padding-right: 10px;
  }
  .number input {
    flex: 1;
    min-width: 0;
    border: 0;
    background: transparent;
    padding: 6px 10px;
    color: var(--ink);
  }
  textarea,
  .plain {
    display: block;
    width: 100%;
    border: 1px solid var(--edge);
    border-radius: 4px;
    background: var(--field);
    color: var(--ink);
    padding: 6px 10px;
  }
  textarea::placeholder,
  .plain::placeholder {
    color: var(--quiet);
    opacity: 1;
  }
  .invalid {
    border-color: var(--brick);
  }
  .choices {
    display: grid;
    gap: 3px;
  }
  .choices label {
    display: flex;
    gap: 8px;
    align-items: center;
    cursor: pointer;
  }
  .choices input {
    accent-color: var(--deep);
    width: 15px;
    height: 15px;
  }
  .clear {
    font-size: 13.5px;
    color: var(--deep);
    text-decoration: underline;
    cursor: pointer;
    margin-top: 4px;
  }
</style>
