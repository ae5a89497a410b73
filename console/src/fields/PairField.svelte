<script lang="ts">
  import { counted } from '../lib/words';
  import { daysWithRecords, type Fault, type PromptInfo, type Understood } from '../lib/api';
  import type { Field } from '../lib/answers';
  import { clockOf, dayOf } from '../lib/format';
  import DateInput from './DateInput.svelte';
  import TextField from './TextField.svelte';

  // The two ends of a period or of a range, each with what was understood of it.
  type Props = {
    id: string;
    prompt: PromptInfo;
    field: Field;
    understood?: Understood;
    faults: Fault[];
    change: (field: Field) => void;
    report: string;
  };
  let { id, prompt, field, understood, faults, change, report }: Props = $props();

  const isPlain = $derived(prompt.type === 'time-range' || prompt.type === 'number-range');
  const isUnit = $derived(['month', 'quarter', 'year'].includes(prompt.type));
  const isTimed = $derived(prompt.type === 'moment-period');
  const overnight = $derived(prompt.type === 'time-range' && understood?.spelled.includes('the next day') ? understood.spelled : '');
  const days = $derived(understood?.given && understood.days ? counted(understood.days, '{0} day|{0} days') : '');
  const first = $derived(understood?.times?.first ?? understood?.least ?? understood?.first_spelled ?? '');
  const last = $derived(understood?.times?.last ?? understood?.most ?? [understood?.last_spelled, days].filter(Boolean).join(' · '));

  // The end that a whole answer in the first field has, as one would type it.
  const understoodEnd = $derived.by(() => {
    const day = understood?.last;
    if (isTimed) return understood?.last_instant?.slice(0, 16).replace('T', ' ') ?? '';
    return prompt.units?.find((u) => day && u.first! <= day && day <= u.last!)?.phrase ?? day ?? '';
  });

  const ends = $derived([
    {
      which: 'start' as const,
      name: 'first',
      label: prompt.labels[0] ?? prompt.ask,
      says: first,
      day: understood?.first,
      moment: understood?.first_instant,
      clock: '00:00',
    },
    {
      which: 'end' as const,
      name: 'last',
      label: prompt.labels[1] ?? prompt.ask,
      says: last,
      day: understood?.last,
      moment: understood?.last_instant,
      clock: '24:00',
    },
  ]);

  /** A label as it stands alone. */
  const alone = (label: string) => label.charAt(0).toUpperCase() + label.slice(1);
  const isWrong = (side: 'start' | 'end') => faults.some((f) => (f.place.side ?? 'start') === side);
</script>

<div class="grid {isTimed ? 'grid-cols-1 gap-1.5' : 'grid-cols-2 gap-2.5'}">
  {#each ends as end (end.which)}
    <div class="min-w-0">
      <label class="mb-[3px] block text-[13px] whitespace-nowrap text-quiet" for="{id}-{end.which}">{end.label}</label>
      {#if isPlain}
        <TextField
          id="{id}-{end.which}"
          label={alone(end.label)}
          value={field[end.which]}
          placeholder={end.which === 'end' && !field.end ? last : ''}
          describedby="{id}-{end.name} {id}-faults"
          invalid={isWrong(end.which)}
          oninput={(text) => change({ ...field, [end.which]: text })}
        />
      {:else}
        <DateInput
          id="{id}-{end.which}"
          label={alone(end.label)}
          value={field[end.which]}
          day={end.day ?? dayOf(end.moment)}
          time={isTimed ? (clockOf(end.moment) ?? end.clock) : undefined}
          units={isUnit ? (prompt.units ?? []) : undefined}
          placeholder={end.which === 'end' && !field.end ? understoodEnd : ''}
          records={(month) => daysWithRecords(report, prompt.name, month)}
          describedby="{id}-{end.name} {id}-faults"
          invalid={isWrong(end.which)}
          oninput={(text) => change({ ...field, [end.which]: text })}
        />
      {/if}
      <p id="{id}-{end.name}" class="mt-1 min-h-[1.42em] text-[13.5px] text-deep" aria-live="polite">{end.says}</p>
    </div>
  {/each}
</div>
{#if overnight}<p class="mt-1 text-[13.5px] text-deep">{overnight}</p>{/if}
