<script lang="ts">
  import { faultText, messageOf, Refused } from '../lib/api';
  import { popup } from '../lib/popup';
  import { follow } from '../lib/route.svelte';
  import type { ReportRun } from '../lib/run.svelte';
  import { setSchedule, type Schedule } from '../lib/schedules';
  import { clockOf, dayOf, spelledDay } from '../lib/format';
  import { say } from '../lib/words';

  // Makes a schedule of one's own of the report with the answers that stand in the fields.
  let { run }: { run: ReportRun } = $props();

  // svelte-ignore state_referenced_locally
  let name = $state(`my-${run.name}`);
  let at = $state('weekdays at 06:30');
  let to = $state('');
  let attach = $state('');
  let when = $state('always');
  let made = $state.raw<Schedule>();
  let said = $state('');

  async function make(event: SubmitEvent) {
    event.preventDefault();
    try {
      const { answers } = run.asked;
      const addresses = to.split(',').map((address) => address.trim());
      made = await setSchedule(name, {
        report: run.name,
        answers,
        at,
        mail: { to: addresses, when, ...(attach ? { attach: [attach as 'csv'] } : {}) },
      });
      said = '';
    } catch (cause) {
      made = undefined;
      said = cause instanceof Refused && cause.problem.errors?.length ? cause.problem.errors.map(faultText).join('. ') : messageOf(cause);
    }
  }
</script>

<details use:popup class="relative print:hidden">
  <summary class="btn-plain cursor-pointer list-none [&::-webkit-details-marker]:hidden">{say('Schedule')}</summary>
  <div class="popup end-0 flex w-80 flex-col gap-2.5">
    <form class="flex flex-col gap-2" onsubmit={make}>
      <p>{say('Runs this report with these answers by itself, and mails what comes back. “Last month” moves with the day.')}</p>
      <label class="flex flex-col gap-1"
        >{say('Its name')} <input class="input bg-field text-sm" type="text" maxlength="100" required bind:value={name} /></label
      >
      <label class="flex flex-col gap-1"
        >{say('When')}
        <input class="input bg-field text-sm" type="text" maxlength="300" required list="times" bind:value={at} />
        <datalist id="times">
          <option value="weekdays at 06:30"></option>
          <option value="mon at 07:00"></option>
          <option value="every 2 hours from 06:00 to 18:00"></option>
          <option value="first of month at 07:00"></option>
          <option value="last weekday of month at 17:00"></option>
        </datalist>
      </label>
      <label class="flex flex-col gap-1"
        >{say('To these addresses, parted by commas')}
        <input class="input bg-field text-sm" type="text" required autocomplete="off" bind:value={to} /></label
      >
      <label class="flex items-center justify-between gap-3">
        {say('With the file')}
        <select class="select w-auto py-1 text-sm" bind:value={attach}>
          <option value="">{say('none')}</option>
          <option value="xlsx">XLSX</option>
          <option value="csv">CSV</option>
          <option value="pdf">PDF</option>
        </select>
      </label>
      <label class="flex items-center justify-between gap-3">
        {say('Sent')}
        <select class="select w-auto py-1 text-sm" bind:value={when}>
          <option value="always">{say('always')}</option>
          <option value="records">{say('where there are records')}</option>
          <option value="changed">{say('where they have changed')}</option>
        </select>
      </label>
      <button type="submit" class="btn self-start bg-deep px-3 py-1.5 text-on-deep">{say('Make the schedule')}</button>
    </form>
    {#if made}
      <p>
        {say('It runs {0}; next {1}.', made.at, made.next[0] ? `${spelledDay(dayOf(made.next[0].at)!)} ${clockOf(made.next[0].at)}` : '—')}
        <a href="/schedules/{encodeURIComponent(made.name)}" onclick={follow}>{say('The schedule')}</a>
      </p>
    {/if}
    <p class="text-quiet" role="status">{said}</p>
  </div>
</details>
