<script lang="ts">
  import { say } from '../lib/words';
  import type { Shown, Understood } from '../lib/api';
  import Numbers from './Numbers.svelte';

  // A chart with the table of its numbers. What draws it is fetched when the first one is to be drawn.
  // Where a click on it narrows the report, answers tell the period that it is of.
  type Props = { section: Shown; answers: Understood[]; narrow: (prompt: string, to: string) => void };
  let { section, answers, narrow }: Props = $props();

  const drawing = import('../charts/Chart.svelte');
  const prompt = $derived(section.chart?.prompt);
  const period = $derived(answers.find((a) => a.prompt === prompt));
  let isOpen = $state(false);
</script>

<section role="group" class="min-w-0" aria-label={section.label}>
  <h2 class="text-base font-[660]">
    {section.label}{#if section.columns.find((c) => c.name === section.chart?.up)?.unit}<span class="font-normal text-quiet"
        >, {section.columns.find((c) => c.name === section.chart?.up)?.unit}</span
      >{/if}
  </h2>
  {#if section.says}<p class="mb-1 text-sm text-quiet">{section.says}</p>{/if}
  {#if section.problem}
    <p class="text-brick">{section.problem}</p>
  {:else}
    {#await drawing then { default: Chart }}
      <Chart {section} first={period?.first} last={period?.last} open={prompt ? (answer) => narrow(prompt, answer) : undefined} />
    {/await}
    {#each section.notes ?? [] as note (note)}<p class="text-sm text-amber">{note}</p>{/each}
    <details class="mt-1 print:hidden" bind:open={isOpen}>
      <summary class="cursor-pointer text-sm text-deep">{say('The numbers')}</summary>
      {#if isOpen}<div class="max-h-96 overflow-auto"><Numbers {section} label={say('The numbers of {0}', section.label)} /></div>{/if}
    </details>
  {/if}
</section>
