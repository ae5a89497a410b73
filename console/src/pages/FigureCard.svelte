<script lang="ts">
  import { numberText, grouped, say } from '../lib/words';
  import type { OtherPeriod, Shown } from '../lib/api';

  // A figure: what it is, how it changed, and a small line of it.
  let { section }: { section: Shown } = $props();

  const names = { previous: say('the period before'), 'year-before': say('a year before') };
  const text = (value: unknown) => (value === null || value === undefined ? say('missing') : grouped(String(value)));
  const shown = $derived(text(section.value));

  function change(other: OtherPeriod) {
    if (other.difference === null || other.difference === undefined) return undefined;
    const by = Number(other.difference);
    const sign = by > 0 ? '+' : '';
    const good = section.better === undefined || by === 0 ? undefined : (section.better === 'more') === by > 0;
    const per = other.per_cent === undefined || other.per_cent === null ? '' : ` (${sign}${other.per_cent} %)`;
    return {
      said: `${sign}${text(other.difference)}${per}`,
      look: good === undefined ? '' : good ? 'text-green' : 'text-brick',
      word: good === undefined ? '' : good ? 'better' : 'worse',
    };
  }

  const points = $derived((section.line ?? []).map((p) => (p.value === null ? null : Number(p.value))));
  const path = $derived.by(() => {
    const known = points.filter((p) => p !== null);
    const [least, most] = [Math.min(0, ...known), Math.max(...known, 1)];
    let pen = 'M';
    return points
      .map((p, i) => {
        if (p === null) {
          pen = 'M';
          return '';
        }
        const step = `${pen}${(100 * i) / Math.max(1, points.length - 1)} ${27 - (24 * (p - least)) / (most - least)}`;
        pen = 'L';
        return step;
      })
      .join('');
  });
</script>

<section role="group" class="rounded-container border border-line bg-card px-4 py-3" aria-label={section.label}>
  <h2 class="text-sm font-normal text-quiet">{section.label}</h2>
  {#if section.problem}
    <p class="text-brick">{section.problem}</p>
  {:else}
    <p class="text-[30px]/[1.15] font-[660]">
      {shown}{#if section.unit && shown !== say('missing')}<span class="text-base font-normal text-quiet">{' '}{section.unit}</span>{/if}
    </p>
    {#each section.compare ?? [] as other (other.with)}
      {@const changed = change(other)}
      {#if other.first}
        <p class="text-sm" title={other.spelled}>
          {#if changed}<b dir="ltr" class="font-[640] {changed.look}">{changed.said}</b>{#if changed.word}<span class="sr-only">, {changed.word}</span
              >{/if}{' '}{/if}<span class="text-quiet">{say('against {0}, {1}', text(other.value), names[other.with])}</span>
        </p>
        <p class="text-[13px] text-quiet">{other.spelled}</p>
      {:else}
        <p class="text-sm text-quiet">{names[other.with]}: {other.spelled}</p>
      {/if}
    {/each}
    {#if points.length > 1}
      <svg
        viewBox="0 0 100 30"
        preserveAspectRatio="none"
        class="mt-1.5 h-8 w-full"
        role="img"
        aria-label={say('From {0} to {1}', section.line![0]!.of, section.line!.at(-1)!.of)}
      >
        <path d={path} fill="none" stroke="var(--deep)" stroke-width="1.6" vector-effect="non-scaling-stroke" />
      </svg>
    {/if}
    {#each section.notes ?? [] as note (note)}<p class="text-sm text-quiet">{note}</p>{/each}
    {#each section.left_out ?? [] as left (left.figure)}
      <p class="text-[13px] text-quiet">{say('{0} without a value left out.', numberText(left.missing + (left.unreadable ?? 0)))}</p>
    {/each}
  {/if}
</section>
