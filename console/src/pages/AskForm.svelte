<script lang="ts">
  import { numberText, say } from '../lib/words';
  import { tick } from 'svelte';
  import type { ReportInfo } from '../lib/api';
  import { seenAs } from '../lib/person.svelte';
  import type { ReportRun } from '../lib/run.svelte';
  import KeptAnswers from './KeptAnswers.svelte';
  import Question from '../fields/Question.svelte';

  // The questions of a report, how many records the answers would bring, and the button.
  let { run, report }: { run: ReportRun; report: ReportInfo } = $props();

  let form = $state<HTMLFormElement>();

  async function submit(event: SubmitEvent) {
    event.preventDefault();
    if (await run.run()) return;
    await tick();
    focusRefused();
  }

  /** Puts the cursor into the first field that is refused. */
  function focusRefused() {
    const first = report.prompts.findIndex((prompt) => run.faults.some((f) => f.place.prompt === prompt.name));
    const question = form?.querySelectorAll('fieldset')[first];
    question?.querySelector<HTMLElement>('[aria-invalid="true"]')?.focus();
    if (question && !question.contains(document.activeElement)) question.querySelector<HTMLElement>('input, textarea')?.focus();
  }
</script>

<form
  class="flex min-h-0 flex-col border-e border-line bg-card max-[860px]:border-e-0 max-[860px]:border-b print:hidden"
  onsubmit={submit}
  novalidate
  bind:this={form}
>
  <div class="flex-1 overflow-y-auto px-6 pt-5 pb-2 max-[860px]:overflow-visible max-[860px]:p-4">
    {#if !run.isTrial && !seenAs()}<KeptAnswers {run} />{/if}
    {#each report.prompts as prompt, i (prompt.name)}
      <Question
        {prompt}
        field={run.fields[prompt.name]!}
        understood={run.understanding?.answers[i]}
        faults={run.touched[prompt.name] ? run.faults.filter((f) => f.place.prompt === prompt.name) : []}
        change={(field) => run.change(prompt.name, field)}
        report={report.name}
        answers={run.answers}
      />
    {:else}
      <p class="text-quiet">{say('This report asks nothing.')}</p>
    {/each}
  </div>
  <div
    class="foot flex items-center justify-between border-t border-line bg-card px-6 py-3.5 max-[860px]:fixed max-[860px]:inset-x-0 max-[860px]:bottom-0 max-[860px]:z-2 max-[860px]:px-4 max-[860px]:py-2.5 [&_b]:font-[660] [&_b]:text-ink"
  >
    {#if run.running}
      <button type="button" class="btn-plain" onclick={() => void run.cancel()}>{say('Cancel')}</button>
    {:else}
      <span class="text-sm text-quiet" role="status">
        {#if run.matches?.or_more}{say('more than')} <b>{numberText(run.matches.of)}</b>{:else if run.matches}{run.matches.about ? `${say('about')} ` : ''}<b
            >{numberText(run.matches.records)}</b
          >{#if run.matches.of !== run.matches.records}{' '}{say('of {0}', numberText(run.matches.of))}{/if}
        {/if}{#if run.matches}
          {' '}{report.records.toLowerCase()}{' '}<br />{run.matches.or_more ? say('are in the period') : say('match')}{:else}{say('Enter runs it')}{/if}
      </span>
    {/if}
    <button class="btn bg-deep px-4.5 py-2.5 font-[640] text-on-deep" type="submit">{say('Show records')}</button>
  </div>
</form>
