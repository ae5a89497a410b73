<script lang="ts">
  import { say } from '../lib/words';
  import { scaleLinear } from 'd3-scale';
  import { area, line } from 'd3-shape';
  import type { Shown } from '../lib/api';
  import { answerOfPlace, axisText, canOpen, everyFew, pictureOf, saidOf, stacked, timeTicks } from '../lib/chart';

  // A chart of a section. One reads its places by pointer or keys, and opens the records of one by click or
  // Enter, where the report can be narrowed to it.
  type Props = { section: Shown; first?: string; last?: string; open?: (answer: string) => void };
  let { section, first, last, open }: Props = $props();

  let width = $state(600);
  let at = $state(-1); // the place that is read

  const id = $props.id();
  const chart = $derived(section.chart!);
  const picture = $derived(pictureOf(section));
  const unit = $derived(section.columns.find((c) => c.name === chart.up)?.unit ?? '');
  const isBar = $derived(chart.kind === 'bar');
  const isShare = $derived(chart.kind === 'share');
  const isStack = $derived(isShare || (chart.stacked && picture.series.length > 1));
  const layers = $derived(isStack ? stacked(picture.series, isShare) : []);

  // A chart of bars has its places under each other, the others beside each other.
  const long = $derived(isBar ? Math.max(1, picture.places.length) * (16 + 14 * Math.max(1, isStack ? 1 : picture.series.length)) : 0);
  const room = $derived.by(() => {
    const names = isBar
      ? Math.min(0.4 * width, 8 + 7 * Math.max(...picture.places.map((p) => p.text.length), 4))
      : 12 + 7.2 * (isShare ? 5 : axisText(range[1]).length);
    return { left: names, right: 12, top: 8, bottom: 24 };
  });
  const height = $derived(isBar ? long + 32 : 252);

  const range = $derived.by((): [number, number] => {
    const numbers = isStack ? layers.flat(2) : [...picture.series, ...picture.others].flatMap((s) => s.values.filter((v) => v !== null));
    const least = Math.min(...numbers, Infinity);
    const most = Math.max(...numbers, 0);
    if (isShare) return [0, 100];
    return [chart.kind === 'line' && least > 0.6 * most ? least : Math.min(least, 0), most > 0 || least < 0 ? most : 1];
  });
  const up = $derived(
    scaleLinear()
      .domain(range)
      .nice(5)
      .range(isBar ? [room.left, width - room.right] : [height - room.bottom, room.top]),
  );
  const span = $derived([picture.places[0]?.from ?? 0, picture.places.at(-1)?.to ?? 1] as const);
  const along = $derived(scaleLinear([span[0], span[1]], isBar ? [room.top, room.top + long] : [room.left, width - room.right]));
  const middle = (i: number) => along((picture.places[i]!.from + picture.places[i]!.to) / 2);
  const ticks = $derived.by(() => {
    const most = Math.max(2, Math.floor((width - room.left) / 76));
    return picture.isTime
      ? timeTicks(span[0], span[1], most)
      : everyFew(picture.places, isBar ? 10_000 : Math.floor((width - room.left) / (12 + 7 * Math.max(4, ...picture.places.map((p) => p.text.length)))));
  });

  /** The widest that a column gets. */
  const mostWide = 120;

  /** A rectangle from one number to another at a place: the n-th of so many beside each other. */
  function block(i: number, from: number, to: number, n = 0, of = 1, inset = 0.12) {
    const place = picture.places[i]!;
    const whole = along(place.to) - along(place.from);
    const gap = Math.max(whole > 4 ? whole * inset : 0, (whole - mostWide * of) / 2);
    const each = (whole - 2 * gap) / of;
    const start = along(place.from) + gap + n * each;
    const [a, b] = [up(from), up(to)];
    return isBar ? `M${a} ${start}H${b}V${start + each}H${a}Z` : `M${start} ${a}H${start + each}V${b}H${start}Z`;
  }

  const blocks = (values: (number | null)[], n: number, of: number, inset?: number) =>
    values.map((value, i) => (value === null || value === 0 ? '' : block(i, 0, value, n, of, inset))).join('');

  const isLine = $derived(chart.kind === 'line' || (chart.kind === 'area' && !isStack));
  const lineOf = (values: (number | null)[]) =>
    line<number | null>(
      (_, i) => middle(i),
      (v) => up(v!),
    ).defined((v) => v !== null)(values) ?? '';
  const areaOf = (values: (number | null)[]) =>
    area<number | null>(
      (_, i) => middle(i),
      up(0),
      (v) => up(v!),
    ).defined((v) => v !== null)(values) ?? '';
  const layerOf = (pairs: [number, number][]) =>
    area<[number, number]>(
      (_, i) => middle(i),
      (p) => up(p[0]),
      (p) => up(p[1]),
    )(pairs) ?? '';

  const colour = (name: string, i: number) => (name === 'others' ? 'var(--mark)' : `var(--series-${i % 6})`);
  const fill = (name: string, i: number) => (i === 0 ? colour(name, i) : `url(#${id}-${i})`);
  // The second six have the same colours with other patterns.
  const look = (i: number) => (i + 2 * Math.floor(i / 6)) % 6;
  const dash = (i: number) => ['', '6 3', '2 3', '9 3 2 3', '12 4', '1 2'][look(i)];
  const said = $derived(at < 0 ? '' : saidOf(picture, at, unit));

  function near(event: PointerEvent | MouseEvent): number {
    const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
    const where = along.invert(isBar ? event.clientY - box.top : event.clientX - box.left);
    return picture.places.findIndex((p) => where >= p.from && where < p.to);
  }

  function opened(i: number) {
    const place = picture.places[i];
    if (open && place && canOpen(picture, place)) open(answerOfPlace(picture, place, first, last));
  }

  function key(event: KeyboardEvent) {
    const last = picture.places.length - 1;
    const to = { ArrowLeft: at - 1, ArrowUp: at - 1, ArrowRight: at + 1, ArrowDown: at + 1, Home: 0, End: last, PageUp: at - 10, PageDown: at + 10 }[event.key];
    if (event.key === 'Enter') opened(at);
    if (to === undefined) return;
    event.preventDefault();
    at = Math.max(0, Math.min(last, to));
  }
</script>

{#snippet pattern(i: number, name: string)}
  <pattern id="{id}-{i}" width="6" height="6" patternUnits="userSpaceOnUse" patternTransform={['', 'rotate(45)', '', '', 'rotate(-45)', ''][look(i)]}>
    <rect width="6" height="6" fill={colour(name, i)} opacity={look(i) === 0 ? 0.75 : 0.32} />
    {#if look(i) === 2}<circle cx="3" cy="3" r="1.7" fill={colour(name, i)} />
    {:else if look(i) === 3}<rect width="6" height="2.2" fill={colour(name, i)} />
    {:else if look(i) !== 0}<rect width="2.6" height="6" fill={colour(name, i)} />{/if}
  </pattern>
{/snippet}

{#if picture.places.length === 0}
  <p class="text-quiet">{say('There is nothing to draw.')}</p>
{:else}
  <div
    class="relative w-full outline-offset-4 {open ? 'cursor-pointer' : ''}"
    bind:clientWidth={width}
    role="slider"
    tabindex="0"
    aria-label={say('{0}: the numbers by place{1}', section.label, open ? say('; Enter opens the records of one') : '')}
    aria-orientation={isBar ? 'vertical' : 'horizontal'}
    aria-valuemin={1}
    aria-valuemax={picture.places.length}
    aria-valuenow={Math.max(1, at + 1)}
    aria-valuetext={said || saidOf(picture, 0, unit)}
    onkeydown={key}
    onfocus={() => at < 0 && (at = 0)}
    onpointermove={(e) => (at = near(e))}
    onpointerleave={() => (at = -1)}
    onclick={(e) => opened(near(e))}
  >
    <svg {width} {height} aria-hidden="true" class="block text-[12.5px] select-none">
      <defs>
        {#each picture.series as s, i (s.name)}{@render pattern(i, s.name)}{/each}
      </defs>
      {#each up.ticks(isBar ? Math.max(2, width / 110) : 5) as n (n)}
        {#if isBar}
          <line x1={up(n)} x2={up(n)} y1={room.top} y2={room.top + long} stroke="var(--line)" />
          <text x={up(n)} y={room.top + long + 17} text-anchor="middle" fill="var(--quiet)">{axisText(n)}</text>
        {:else}
          <line x1={room.left} x2={width - room.right} y1={up(n)} y2={up(n)} stroke="var(--line)" />
          <text x={room.left - 6} y={up(n) + 4} text-anchor="end" fill="var(--quiet)">{axisText(n)}{isShare ? ' %' : ''}</text>
        {/if}
      {/each}
      {#if at >= 0}
        {@const place = picture.places[at]!}
        {#if isBar}<rect x="0" {width} y={along(place.from)} height={along(place.to) - along(place.from)} fill="var(--tint)" />
        {:else}<rect
            y={room.top}
            height={height - room.top - room.bottom}
            x={along(place.from)}
            width={Math.max(1, along(place.to) - along(place.from))}
            fill="var(--tint)"
          />{/if}
      {/if}
      {#each picture.others as other, i (other.name)}
        {#if isLine}<path d={lineOf(other.values)} fill="none" stroke="var(--mark)" stroke-width="2" stroke-dasharray={i === 0 ? '5 3' : '2 3'} />
        {:else}<path d={blocks(other.values, 0, 1, 0.02)} fill="var(--faint)" opacity={i === 0 ? 0.75 : 0.45} />{/if}
      {/each}
      {#each picture.series as s, i (s.name)}
        {#if isLine}
          {#if chart.kind === 'area'}<path d={areaOf(s.values)} fill={colour(s.name, i)} opacity="0.25" />{/if}
          <path d={lineOf(s.values)} fill="none" stroke={colour(s.name, i)} stroke-width="2.2" stroke-dasharray={dash(i)} />
          {#if picture.places.length <= 40}
            {#each s.values as value, p (p)}{#if value !== null}<circle cx={middle(p)} cy={up(value)} r="3" fill={colour(s.name, i)} />{/if}{/each}
          {/if}
        {:else if isStack && chart.kind === 'area'}
          <path d={layerOf(layers[i]!)} fill={fill(s.name, i)} stroke="var(--paper)" stroke-width="0.8" />
        {:else if isStack}
          <path
            d={layers[i]!.map(([from, to], p) => (to > from ? block(p, from, to) : '')).join('')}
            fill={fill(s.name, i)}
            stroke="var(--paper)"
            stroke-width="0.8"
          />
        {:else}
          <path d={blocks(s.values, i, picture.series.length, picture.others.length > 0 ? 0.26 : 0.12)} fill={fill(s.name, i)} />
        {/if}
      {/each}
      {#if isBar}
        {#each picture.places as place, p (place.name)}
          <text x={room.left - 8} y={middle(p) + 4} text-anchor="end" fill="var(--ink)"
            >{place.text.length * 7 > room.left ? `${place.text.slice(0, Math.floor(room.left / 7) - 1)}…` : place.text}</text
          >
        {/each}
        <line x1={up(0)} x2={up(0)} y1={room.top} y2={room.top + long} stroke="var(--edge)" />
      {:else}
        <line x1={room.left} x2={width - room.right} y1={up(Math.max(0, up.domain()[0]!))} y2={up(Math.max(0, up.domain()[0]!))} stroke="var(--edge)" />
        {#each ticks as tick (tick.at)}
          {#if picture.isTime}<line x1={along(tick.at)} x2={along(tick.at)} y1={height - room.bottom} y2={height - room.bottom + 4} stroke="var(--edge)" />{/if}
          <text x={along(tick.at)} y={height - 6} text-anchor={picture.isTime ? 'start' : 'middle'} fill="var(--quiet)">{tick.text}</text>
        {/each}
      {/if}
    </svg>
  </div>
  <p class="min-h-[1.42em] text-sm text-quiet print:hidden" aria-hidden="true">
    {said || (open ? say('Point at it to read it; click to open the records.') : say('Point at it to read it.'))}
  </p>
  {#if picture.series.length > 1 || picture.others.length > 0}
    <ul class="flex flex-wrap gap-x-4 gap-y-0.5 text-sm">
      {#each picture.series as s, i (s.name)}
        <li class="flex items-center gap-1.5">
          <svg width="22" height="11" aria-hidden="true"
            >{#if isLine}<line x1="0" x2="22" y1="5.5" y2="5.5" stroke={colour(s.name, i)} stroke-width="2.4" stroke-dasharray={dash(i)} />{:else}<rect
                width="22"
                height="11"
                fill={fill(s.name, i)}
              />{/if}</svg
          >
          {s.name}
        </li>
      {/each}
      {#each picture.others as other (other.name)}
        <li class="flex items-center gap-1.5 text-quiet">
          <svg width="22" height="11" aria-hidden="true"
            ><rect width="22" height="11" y={isLine ? 4 : 0} style:height={isLine ? '3px' : '11px'} fill="var(--faint)" /></svg
          >
          {other.name}
        </li>
      {/each}
    </ul>
  {/if}
  {#each picture.aside as aside (aside)}<p class="text-sm text-amber">{say('Not drawn, since it has no place in time: {0}', aside)}</p>{/each}
{/if}
