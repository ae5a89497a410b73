<script lang="ts">
  import { say } from '../lib/words';
  import { popup } from '../lib/popup';
  import { linkOfAnswers, linkOfEntered } from '../lib/answers';
  import { forgetKept, keepAnswers, listKept, listReceipts, messageOf, type Kept, type Receipt } from '../lib/api';
  import { spelledDay } from '../lib/format';
  import { currentPerson } from '../lib/person.svelte';
  import type { ReportRun } from '../lib/run.svelte';

  // The answers that one kept of a report and those of the last run, each a click away; and what keeps those that stand
  // in the fields.
  let { run }: { run: ReportRun } = $props();

  let kept = $state.raw<Kept[]>([]);
  let last = $state.raw<Receipt>();
  let name = $state('');
  let frozen = $state(false);
  let sharing = $state('own'); // who may use them: own for oneself, all, or a group behind in:
  let said = $state('');
  let open = $state(false);

  // svelte-ignore state_referenced_locally
  const report = run.name;

  async function list() {
    kept = await listKept(report);
  }
  list().catch(() => {}); // the page says that the service does not answer
  listReceipts(new URLSearchParams({ report, person: currentPerson().name, limit: '10' }).toString()).then(
    ({ receipts }) => (last = receipts.find((r) => r.state === 'rows' || r.state === 'no_rows')),
    () => {},
  );

  async function keep(event: SubmitEvent) {
    event.preventDefault();
    try {
      const { answers, as_of } = run.asked;
      const now = await keepAnswers(report, {
        name,
        answers,
        view: run.view,
        frozen,
        shared: sharing === 'all',
        groups: sharing.startsWith('in:') ? [sharing.slice(3)] : [],
        ...(frozen && as_of ? { as_of } : {}),
      });
      said = say('Kept as “{0}”{1}.', now.name, now.as_of ? say(', as of {0}', spelledDay(now.as_of)) : '');
      name = '';
      open = false;
      await list();
    } catch (cause) {
      said = messageOf(cause);
    }
  }

  async function forget(k: Kept) {
    try {
      await forgetKept(k.id);
      said = say('“{0}” is forgotten.', k.name);
      await list();
    } catch (cause) {
      said = messageOf(cause);
    }
  }

  const about = (k: Kept) =>
    k.problem ??
    `${k.as_of ? say('As of {0}: its phrases mean what they meant then', spelledDay(k.as_of)) : say('Its phrases move with the day')}${k.own ? '' : say('; {0} keeps it', k.person)}`;
</script>

<section class="mb-4 text-sm" aria-label={say('Kept answers')}>
  <ul class="flex flex-wrap gap-1.5">
    {#if last && Object.keys(last.entered ?? {}).length > 0}
      <li><button type="button" class="btn-plain" onclick={() => run.open(linkOfEntered(last!))}>{say('As last time')}</button></li>
    {/if}
    {#each kept as k (k.id)}
      <li class="flex">
        <button type="button" class="btn-plain" title={about(k)} onclick={() => run.open(linkOfAnswers(k))}>
          {k.name}{#if k.as_of}{' '}<span class="text-quiet">{say('frozen')}</span>{/if}{#if k.problem}{' '}<span class="text-brick">{say('changed')}</span
            >{/if}
        </button>
        {#if k.own}<button type="button" class="btn-plain min-w-6 border-s-0 px-2" aria-label={say('Forget {0}', k.name)} onclick={() => void forget(k)}
            >×</button
          >{/if}
      </li>
    {/each}
    <li>
      <details use:popup class="relative" bind:open>
        <summary class="btn-plain cursor-pointer list-none [&::-webkit-details-marker]:hidden">{say('Keep these…')}</summary>
        <form class="popup flex w-72 flex-col gap-2" onsubmit={keep}>
          <label class="flex flex-col gap-1"
            >{say('Under the name')} <input class="input bg-field text-sm" type="text" maxlength="80" required bind:value={name} /></label
          >
          <label class="flex items-start gap-2"
            ><input type="radio" class="mt-1" bind:group={frozen} value={false} /> {say('Asking: “last month” moves with the day')}</label
          >
          <label class="flex items-start gap-2"
            ><input type="radio" class="mt-1" bind:group={frozen} value={true} /> {say('Frozen: it stays what it means today')}</label
          >
          <label class="flex flex-col gap-1"
            >{say('Who may use them')}
            <select class="select bg-field text-sm" bind:value={sharing}>
              <option value="own">{say('only I')}</option>
              {#each currentPerson().groups as group (group)}<option value={`in:${group}`}>{group}</option>{/each}
              <option value="all">{say('everybody')}</option>
            </select></label
          >
          <button type="submit" class="btn self-start bg-deep px-3 py-1.5 text-on-deep">{say('Keep')}</button>
        </form>
      </details>
    </li>
  </ul>
  <p class="mt-1 text-quiet" role="status">{said}</p>
  {#if run.asOf}
    <p>
      {say('Frozen as of')} <b class="font-[640]">{spelledDay(run.report!.as_of)}</b>.
      <button type="button" class="btn-plain" onclick={() => run.thaw()}>{say('As of today')}</button>
    </p>
  {/if}
</section>
