<script lang="ts">
  import { counted, say } from '../lib/words';
  import { showHistogram, type Histogram } from '../lib/api';

  // How many records there are in each month of the data. One picks a month by
  // pointer or keys, and several by drawing over them or with the shift key.
  type Props = {
    report: string;
    prompt: string;
    /** The first and the last day that are chosen, ISO; absent where that side is open. */
    first?: string;
    last?: string;
    /** Whether the prompt takes several units. */
    many: boolean;
    pick: (start: string, end: string) => void;
  };
  let { report, prompt, first, last, many, pick }: Props = $props();

  let histogram = $state.raw<Histogram>();
  let at = $state(-1); // the unit that the keys are on
  let anchor = $state(-1); // where a selection began
  let drawing = $state(false);
  let bars = $state<HTMLElement>();

  // a field is made anew for each report

  // svelte-ignore state_referenced_locally
  showHistogram(report, prompt).then(
    (s) => {
      histogram = s;
      at = s.units.length - 1;
    },
    () => {}, // the field serves without it
  );

  const units = $derived(histogram?.units ?? []);
  const most = $derived(Math.max(1, ...units.map((u) => u.records)));
  const isIn = (u: { first: string; last: string }) => (first ?? '') <= u.last && u.first <= (last ?? '9999') && !!(first || last);
  const labels = $derived.by(() => {
    const starts = units.filter((u) => u.first.slice(5) === '01-01');
    const step = Math.ceil(starts.length / 4);
    return starts
      .filter((_, i) => i % step === 0)
      .map((u) => ({ text: u.first.slice(0, 4), place: (100 * units.indexOf(u)) / units.length }))
      .filter((label) => label.place < 92);
  });

  function choose(i: number, from: number) {
    const [a, b] = [units[Math.min(i, from)]!, units[Math.max(i, from)]!];
    if (a === b || !many) pick(units[i]!.phrase, '');
    else pick(a.phrase, b.phrase);
  }

  function focus(i: number) {
    at = Math.max(0, Math.min(units.length - 1, i));
    bars?.querySelectorAll('button')[at]?.focus();
  }

  function key(event: KeyboardEvent) {
    const to = { ArrowLeft: at - 1, ArrowRight: at + 1, Home: 0, End: units.length - 1, PageUp: at - 12, PageDown: at + 12 }[event.key];
    if (to === undefined) return;
    event.preventDefault();
    if (event.shiftKey && anchor < 0) anchor = at;
    if (!event.shiftKey) anchor = -1;
    focus(to);
    if (event.shiftKey) choose(at, anchor);
  }

  function down(event: PointerEvent, i: number) {
    event.preventDefault();
    anchor = event.shiftKey && at >= 0 ? at : i;
    drawing = true;
    focus(i);
    choose(i, anchor);
  }

  function over(i: number) {
    if (!drawing) return;
    at = i;
    choose(i, anchor);
  }
</script>

<svelte:window onpointerup={() => (drawing = false)} />

{#if histogram?.counting}
  <p class="mt-2.5 text-sm text-quiet">{say('How many records each day has is being counted for the first time.')}</p>
{/if}
{#if histogram && units.length > 1}
  <div dir="ltr" class="mt-2.5 touch-none select-none">
    <div
      class="flex h-[45px] items-stretch border-b border-edge"
      bind:this={bars}
      role="toolbar"
      tabindex="-1"
      aria-label={say('Records by {0}, {1}', histogram.unit, histogram.column)}
      onkeydown={key}
    >
      {#each units as unit, i (unit.first)}
        <button
          type="button"
          class="group flex min-w-0 flex-1 cursor-pointer items-end px-[0.5px]"
          tabindex={i === at ? 0 : -1}
          aria-pressed={isIn(unit)}
          aria-label="{unit.phrase}: {counted(unit.records, '{0} record|{0} records')}"
          title="{unit.phrase}: {counted(unit.records, '{0} record|{0} records')}"
          onpointerdown={(e) => down(e, i)}
          onpointerenter={() => over(i)}
          onclick={(e) => e.detail === 0 && choose(i, i)}
          ><span
            class="block w-full group-hover:bg-edge {isIn(unit) ? 'bg-deep' : 'bg-faint'}"
            style:height="{unit.records ? Math.max(2, (42 * unit.records) / most) : 0}px"
          ></span></button
        >
      {/each}
    </div>
    <div class="relative h-[18px] text-[12.5px] text-quiet" aria-hidden="true">
      {#each labels as label (label.text)}<span class="absolute top-px" style:left="{label.place}%">{label.text}</span>{/each}
    </div>
  </div>
{/if}
