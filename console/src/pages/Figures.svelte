<script lang="ts">
  import { numberText, say } from '../lib/words';
  import type { Evidence } from '../lib/api';
  import { momentText } from '../lib/format';
  import Bar from '../parts/Bar.svelte';

  // Where all records lie beside the period, and what each condition left of them. Where not all of that was
  // counted with the rows, countAll counts it; without one there is no button.
  let { evidence, countAll }: { evidence: Evidence; countAll?: () => void } = $props();

  const all = $derived(evidence.all ?? 0);
  const classes = $derived.by(() => {
    const p = evidence.period;
    if (!p) return [];
    const named: [string, number, boolean][] = [
      ['before', p.before, !!p.excluded],
      ['inside', p.inside, !p.excluded],
      ['between', p.between ?? 0, !!p.excluded],
      ['after', p.after, !!p.excluded],
      [say('without a date'), p.missing, !!p.excluded],
      ['unreadable', p.unreadable, !!p.excluded],
    ];
    return named.filter(([name, n]) => name !== 'between' || n > 0).map(([name, n, kept]) => ({ name, n, kept }));
  });
</script>

<div class="my-2.5 grid grid-cols-[repeat(auto-fit,minmax(min(340px,100%),1fr))] gap-x-8 gap-y-2">
  {#if classes.length > 0}
    {@const caption = say('All {0} records, by {1}', numberText(all), evidence.period?.column)}
    <table class="border-collapse self-start text-sm">
      <caption class="pb-1 text-start font-[640]">{caption}</caption>
      <tbody>
        {#each classes as c (c.name)}
          <tr>
            <th scope="row" class="py-0.5 pe-2.5 text-start font-normal">{c.name}</th>
            <td class="py-0.5 pe-2.5 text-end align-top font-[640] whitespace-nowrap">{numberText(c.n)}</td>
            <td class="w-1/2 py-0.5 pe-2.5 align-top"><Bar share={all ? c.n / all : 0} kept={c.kept} /></td>
          </tr>
        {/each}
      </tbody>
    </table>
  {/if}
  {#if evidence.condition_counts.length > 0}
    <table class="border-collapse self-start text-sm">
      <caption class="pb-1 text-start font-[640]">{say('What each condition left')}</caption>
      <tbody>
        {#each evidence.condition_counts as step, i (i)}
          <tr>
            <th scope="row" class="py-0.5 pe-2.5 text-start font-normal">{step.says}</th>
            <td class="py-0.5 pe-2.5 text-end align-top font-[640] whitespace-nowrap" class:text-brick={step.left === 0}>{numberText(step.left)}</td>
            <td class="py-0.5 pe-2.5 align-top whitespace-nowrap text-quiet"
              >{#if step.took_away !== undefined}{say('took away {0}', numberText(step.took_away))}{/if}</td
            >
          </tr>
        {/each}
      </tbody>
    </table>
  {/if}
</div>
{#if evidence.period?.counted_at}
  <p class="text-sm text-quiet">
    {say(
      '{0} as counted {1}',
      evidence.period.inside_too ? say('All of this is') : say('What lies outside the period is'),
      momentText(evidence.period.counted_at),
    )}{#if evidence.period.changed};
      <span class="text-amber">{say('the data changed since')}</span>{/if}.
  </p>
{/if}
{#if countAll && (evidence.period?.counted_at || (evidence.not_computed?.length ?? 0) > 0)}
  <p class="my-1.5"><button type="button" class="btn-plain text-sm" onclick={countAll}>{say('Count all records now')}</button></p>
{/if}
{#if evidence.read}
  <p class="text-sm text-quiet">
    {say(
      'The database read {0} {1} for the rows and {2} for these figures.',
      numberText(evidence.read.rows),
      evidence.read.rows === 1 ? 'record' : 'records',
      numberText(evidence.read.evidence),
    )}
  </p>
{/if}
{#if evidence.data_changed}
  <p class="text-sm text-amber">{say('The data changed while they were counted. Run it again to see them as they are now.')}</p>
{/if}
{#each evidence.not_computed ?? [] as missing (missing)}<p class="text-sm text-amber">{say('Not computed: {0}.', missing)}</p>{/each}
