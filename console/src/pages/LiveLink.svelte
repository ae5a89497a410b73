<script lang="ts">
  import { say } from '../lib/words';
  import { popup } from '../lib/popup';
  import { makeLink, messageOf, type MadeLink } from '../lib/api';
  import type { ReportRun } from '../lib/run.svelte';

  // Links to a report: one for people, with the answers in it, and live ones that a spreadsheet or a script reads.
  let { run }: { run: ReportRun } = $props();

  let name = $state('');
  let format = $state<'csv' | 'json'>('csv');
  let made = $state.raw<MadeLink>();
  let said = $state('');

  const tables = $derived(run.report!.sections.filter((s) => s.kind === 'table'));
  const address = $derived(made ? location.origin + made.path : '');

  async function make(event: SubmitEvent) {
    event.preventDefault();
    try {
      const { answers, as_of } = run.asked;
      const section = tables.length === 1 || run.report!.sections.length === 1 ? 0 : run.report!.main;
      made = await makeLink(run.name, { name, format, section, answers, view: run.view, frozen: !!as_of, ...(as_of ? { as_of } : {}) });
      said = '';
    } catch (cause) {
      said = messageOf(cause);
    }
  }

  async function copy() {
    try {
      await navigator.clipboard.writeText(address);
      said = say('Copied.');
    } catch {
      said = say('Select the address and copy it.');
    }
  }
</script>

<details use:popup class="relative print:hidden">
  <summary class="btn-plain cursor-pointer list-none [&::-webkit-details-marker]:hidden">{say('Link')}</summary>
  <div class="popup end-0 flex w-80 flex-col gap-2.5">
    <button type="button" class="btn-plain self-start" onclick={() => run.copyLink()}>{say('Copy the link to this page with these answers')}</button>
    <form class="flex flex-col gap-2 border-t border-line pt-2.5" onsubmit={make}>
      <p>{say('A live link sends the records as they are whenever it is read, to a spreadsheet for one. Whoever has its address can read them.')}</p>
      <label class="flex flex-col gap-1"
        >{say('What it is for')} <input class="input bg-field text-sm" type="text" maxlength="80" required bind:value={name} /></label
      >
      <label class="flex items-center justify-between gap-3">
        {say('It sends')}
        <select class="select w-auto py-1 text-sm" bind:value={format}>
          <option value="csv">CSV</option>
          <option value="json">JSON</option>
        </select>
      </label>
      <button type="submit" class="btn self-start bg-deep px-3 py-1.5 text-on-deep">{say('Make a live link')}</button>
    </form>
    {#if made}
      <label class="flex flex-col gap-1">
        {say('Its address, told this once')}
        <input class="input bg-field text-xs" type="text" readonly value={address} onfocus={(e) => e.currentTarget.select()} />
      </label>
      <button type="button" class="btn-plain self-start" onclick={copy}>{say('Copy it')}</button>
    {/if}
    <p class="text-quiet" role="status">{said}</p>
  </div>
</details>
