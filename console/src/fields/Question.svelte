<script lang="ts">
  import { say } from '../lib/words';
  import { dayOf, clockOf } from '../lib/format';
  import { daysWithRecords, type Answers, type Fault, type PromptInfo, type Understood } from '../lib/api';
  import { hasTwoFields, type Field } from '../lib/answers';
  import ChoiceField from './ChoiceField.svelte';
  import DateInput from './DateInput.svelte';
  import DaysField from './DaysField.svelte';
  import Histogram from './Histogram.svelte';
  import Offers from './Offers.svelte';
  import Option from './Option.svelte';
  import PairField from './PairField.svelte';
  import Refusals from './Refusals.svelte';
  import TextField from './TextField.svelte';

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
  const invalid = $derived(faults.length > 0);
  const spelled = $derived(understood?.given ? understood.spelled : '');
  const two = $derived(hasTwoFields(prompt));
  const isUnit = $derived(['month', 'quarter', 'year'].includes(prompt.type));
  const isTimed = $derived(prompt.type === 'moment' || prompt.type === 'moment-period');
  const isShort = $derived(!prompt.listed && (prompt.choices?.length ?? 0) <= 12);
  const write = (start: string) => change({ ...field, start });

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

<fieldset class="mb-5 min-w-0" aria-describedby="{id}-faults">
  <legend class="mb-1.5 font-[640]"
    >{prompt.ask}
    {#if prompt.help}<span class="text-[13.5px] font-normal text-quiet">{prompt.help}</span>{/if}</legend
  >
  {#if two}
    <PairField {id} {prompt} {field} {understood} {faults} {change} {report} />
  {:else if prompt.type === 'day' || prompt.type === 'moment' || isUnit}
    {#if prompt.labels[0]}<label class="mb-[3px] block text-[13px] whitespace-nowrap text-quiet" for="{id}-start">{prompt.labels[0]}</label>{/if}
    <DateInput
      id="{id}-start"
      label={prompt.ask}
      value={field.start}
      day={understood?.first ?? dayOf(understood?.first_instant)}
      time={isTimed ? (clockOf(understood?.first_instant) ?? '00:00') : undefined}
      units={isUnit ? (prompt.units ?? []) : undefined}
      records={(month) => daysWithRecords(report, prompt.name, month)}
      describedby="{id}-understood {id}-faults"
      {invalid}
      oninput={write}
    />
    {@render meant()}
  {:else if prompt.type === 'days'}
    <DaysField label={prompt.ask} value={field.start} describedby="{id}-understood {id}-faults" {invalid} oninput={write} />
    {@render meant()}
  {:else if prompt.type === 'text' || prompt.type === 'number'}
    <TextField
      id="{id}-start"
      label={prompt.ask}
      value={field.start}
      placeholder={prompt.pattern_help}
      describedby="{id}-faults"
      {invalid}
      unit={prompt.unit}
      isNumber={prompt.type === 'number'}
      oninput={write}
    />
  {:else if prompt.type === 'yes-no'}
    <div class="grid gap-[3px]">
      {#each ['yes', 'no'] as word (word)}
        <Option name="{id}-truth" checked={understood?.truth === (word === 'yes')} change={() => write(word)} label={word} />
      {/each}
    </div>
    {#if field.start && !prompt.required}{@render clear(say('Choose neither'), () => write(''))}{/if}
  {:else}
    {#if isShort}
      <div class="grid gap-[3px]">
        {#each prompt.choices ?? [] as choice (choice.value)}
          <Option
            name="{id}-choice"
            many={prompt.many}
            checked={field.values.includes(choice.value)}
            change={(on) => toggle(choice.value, on)}
            label={choice.label}
          />
        {/each}
      </div>
    {:else}
      <ChoiceField {report} {prompt} {answers} values={field.values} {understood} {toggle} />
    {/if}
    {#if field.values.length > 0 && !prompt.required}{@render clear(say('Choose none'), () => change({ ...field, values: [] }))}{/if}
  {/if}
  {#each understood?.notes ?? [] as note (note)}<p class="text-[13.5px] text-amber">{note}</p>{/each}
  <Refusals id="{id}-faults" {faults} {apply} />
  {#if prompt.offers}
    <Offers offers={prompt.offers} chosen={field.end ? '' : field.start} pick={(phrase) => change({ ...field, start: phrase, end: '' })} />
  {/if}
  {#if prompt.type === 'period' || isUnit}
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

{#snippet meant()}
  <p id="{id}-understood" class="mt-1 min-h-[1.42em] text-[13.5px] text-deep" aria-live="polite">{spelled}</p>
{/snippet}

{#snippet clear(text: string, onclick: () => void)}
  <button type="button" class="mt-1 cursor-pointer text-[13.5px] text-deep underline" {onclick}>{text}</button>
{/snippet}
