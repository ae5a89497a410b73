<script lang="ts">
  import { say } from '../lib/words';
  import { seeAs, seenAs } from '../lib/person.svelte';
  import { ReportRun } from '../lib/run.svelte';
  import { follow } from '../lib/route.svelte';
  import AskForm from './AskForm.svelte';
  import Outcome from './Outcome.svelte';

  let { name }: { name: string } = $props();

  // the page is made anew for each report

  // svelte-ignore state_referenced_locally
  const run = new ReportRun(name);
</script>

<svelte:head><title>{say('{0} · Pike Gate', run.report?.title ?? name)}</title></svelte:head>

{#if seenAs()}
  <p class="flex h-12 flex-wrap items-center gap-3 bg-amber-tint px-6 text-sm print:hidden" role="status">
    {say('As {0} gets it.', seenAs())}
    <button type="button" class="btn-plain" onclick={() => seeAs('')}>{say('Back to what I get')}</button>
  </p>
{/if}
{#if run.report}
  <div
    class="grid {seenAs()
      ? 'h-[calc(100vh-100px)]'
      : 'h-[calc(100vh-52px)]'} grid-cols-[352px_minmax(0,1fr)] max-[860px]:block max-[860px]:h-auto max-[860px]:pb-[72px] print:block print:h-auto"
  >
    <AskForm {run} report={run.report} />
    <Outcome {run} report={run.report} />
  </div>
{:else}
  <div class="mx-auto max-w-[860px] px-6 py-7">
    {#if run.failed}
      <h1 class="text-[25px]/[1.15] font-[680]">{say('This report cannot be shown')}</h1>
      <p role="alert">{run.failed}</p>
      <p><a href="/" onclick={follow}>{say('All reports')}</a></p>
    {/if}
  </div>
{/if}
