<script lang="ts">
  import { say } from '../lib/words';
  import { readPhrase, type ColumnWord, type OpWord, type Part, type Words } from './api';
  import Pick from './Pick.svelte';
  import { entries, entry, items, scalarOf, textOf } from './part';

  // What a column is compared with: a value that is written out, a question to the reader, another column, the person.
  type Props = {
    words: Words;
    column: ColumnWord;
    op: OpWord;
    operand?: Part;
    set: (value: unknown) => void;
    /** Makes a prompt of a name and puts it there. */
    ask: (name: string) => void;
    asOf: string;
  };
  let { words, column, op, operand, set, ask, asOf }: Props = $props();

  const isNumber = $derived(['integer', 'decimal', 'number'].includes(column.type));
  const written = $derived(items(operand).length > 0 ? items(operand).map(textOf) : textOf(operand) ? [textOf(operand)] : []);
  const prompt = $derived(textOf(entry(operand, 'prompt')));
  // svelte-ignore state_referenced_locally
  let way = $state(
    entry(operand, 'prompt')
      ? 'ask'
      : entry(operand, 'column')
        ? 'column'
        : entry(operand, 'person')
          ? 'person'
          : written.some((t) => t !== '')
            ? 'value'
            : op.prompts.length > 0
              ? 'ask'
              : 'value',
  );
  const ways = $derived(
    [
      { way: 'value', text: say('A value') },
      { way: 'ask', text: say('Ask for it') },
      { way: 'column', text: say('A column') },
      { way: 'person', text: say('The person') },
    ].filter((w) => w.way === 'value' || w.way === 'ask' || (w.way === 'column' && op.columns) || (w.way === 'person' && column.type === 'text')),
  );
  // svelte-ignore state_referenced_locally
  let typed = $state(written.join('\n'));
  // svelte-ignore state_referenced_locally
  let part = $state(entries(operand)[0]?.key ?? 'months');
  // svelte-ignore state_referenced_locally
  let recurs = $state(items(entries(operand)[0]?.part).map(textOf).join(', '));
  let meaning = $state<{ spelled?: string; refused?: string }>();
  // svelte-ignore state_referenced_locally
  let name = $state(
    column.name
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, '-')
      .replace(/^[^a-z]+|-+$/g, ''),
  );

  const isDated = $derived(['day', 'day_list', 'period'].includes(op.form));
  const fits = $derived(words.prompts.filter((p) => op.prompts.includes(p.name)));
  const sided = $derived(words.prompts.filter((p) => op.sides?.includes(p.name)));
  const others = $derived(
    words.columns.filter((c) => c.name !== column.name && (c.type === column.type || (isNumber && ['integer', 'decimal', 'number'].includes(c.type)))),
  );

  $effect(() => {
    const text = typed.split('\n')[0]!.trim();
    if (!isDated || way !== 'value' || text === '') {
      meaning = undefined;
      return;
    }
    const stop = new AbortController();
    const timer = setTimeout(() => {
      readPhrase(text, asOf, op.form !== 'period', stop.signal).then(
        (m) => (meaning = m),
        () => {}, // the field stays as it is, and what is set is checked
      );
    }, 120);
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
  });

  function put(event: SubmitEvent) {
    event.preventDefault();
    const lines = typed
      .split('\n')
      .map((l) => l.trim())
      .filter((l) => l !== '');
    if (op.form === 'recurs')
      set({
        [part]: recurs
          .split(',')
          .map((v) => scalarOf(v.trim(), true))
          .filter((v) => v !== ''),
      });
    else if (op.form === 'values' || op.form === 'day_list' || op.form === 'range') set(lines.map((l) => scalarOf(l, isNumber)));
    else set(scalarOf(typed.trim(), isNumber));
  }

  const choice = 'cursor-pointer border-b-2 px-1 pb-0.5';
</script>

<div class="mb-2 flex gap-3 text-sm" role="group" aria-label={say('Compared with')}>
  {#each ways as w (w.way)}
    <button
      type="button"
      class="{choice} {way === w.way ? 'border-deep font-semibold text-deep' : 'border-transparent'}"
      aria-pressed={way === w.way}
      onclick={() => (way = w.way)}>{w.text}</button
    >
  {/each}
</div>
{#if way === 'value'}
  <form onsubmit={put} class="grid gap-2">
    {#if op.form === 'recurs'}
      <label class="text-sm text-quiet"
        >{say('Of')}
        <select class="select w-auto bg-field text-sm" bind:value={part}>
          {#each ['months', 'quarters', 'days', 'weekdays'] as p (p)}<option value={p}>{p}</option>{/each}
        </select></label
      >
      <input
        class="input bg-field text-sm"
        aria-label={say('Which {0}', part)}
        placeholder={part === 'weekdays' ? 'Saturday, Sunday' : part === 'months' ? 'June, July' : '1, 2'}
        bind:value={recurs}
      />
    {:else if op.form === 'values' || op.form === 'day_list' || op.form === 'range'}
      <textarea
        class="textarea bg-field text-sm"
        rows={op.form === 'range' ? 2 : 5}
        aria-label={op.form === 'range' ? say('The least and the greatest, a line each') : say('One value a line')}
        placeholder={op.form === 'range' ? 'least\ngreatest' : say('one value a line')}
        bind:value={typed}></textarea>
    {:else}
      <input
        class="input bg-field text-sm"
        aria-label={say('Value')}
        placeholder={op.form === 'period'
          ? 'last month, 2026, 1 Jun to 31 Aug 2026'
          : op.form === 'day'
            ? 'today, 1 Jan 2024'
            : op.form === 'times'
              ? '06:00 to 09:00'
              : (column.unit ?? '')}
        bind:value={typed}
        autocomplete="off"
      />
    {/if}
    {#if isDated}<p class="min-h-[1.42em] text-[13.5px] {meaning?.refused ? 'text-brick' : 'text-deep'}" role="status">
        {meaning?.spelled ?? meaning?.refused ?? ''}
      </p>{/if}
    <button class="btn bg-deep text-sm text-on-deep" type="submit">{say('Set')}</button>
  </form>
{:else if way === 'ask'}
  {#if fits.length + sided.length > 0}
    <Pick
      label={say('A question that there is')}
      chosen={prompt}
      options={[
        ...fits.map((p) => ({ value: p.name, text: p.ask, note: p.name, look: 'prompt' as const })),
        ...sided.flatMap((p) =>
          ['start', 'end'].map((side) => ({ value: `${p.name} ${side}`, text: p.ask, note: say('its {0}, {1}', side, p.name), look: 'prompt' as const })),
        ),
      ]}
      pick={(value) => {
        const [of, side] = value.split(' ');
        const answer = side ? { prompt: of, side } : { prompt: of };
        set(op.form === 'recurs' ? { [part]: answer } : answer);
      }}
    />
  {/if}
  <form
    class="mt-2 flex items-end gap-2 border-t border-line pt-2"
    onsubmit={(e) => {
      e.preventDefault();
      ask(name);
    }}
  >
    <label class="flex-1 text-sm text-quiet">{say('A new question, named')} <input class="input bg-field text-sm" bind:value={name} autocomplete="off" /></label
    >
    <button class="btn-plain" type="submit">{say('Ask')}</button>
  </form>
{:else if way === 'column'}
  <Pick
    label={say('A column')}
    chosen={textOf(entry(operand, 'column'))}
    options={others.map((c) => ({ value: c.name, text: c.label, note: c.name }))}
    pick={(value) => set({ column: value })}
  />
{:else}
  <Pick
    label={say('What is known of the person')}
    chosen={textOf(entry(operand, 'person'))}
    options={[
      { value: 'name', text: say('their name') },
      { value: 'role', text: say('their role') },
    ]}
    pick={(value) => set({ person: value })}
  />
{/if}
