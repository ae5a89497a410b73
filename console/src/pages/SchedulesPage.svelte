<script lang="ts">
  import { Doing } from '../lib/doing.svelte';
  import { clockOf, dayOf, momentText, spelledDay } from '../lib/format';
  import { currentPerson, isDeveloper } from '../lib/person.svelte';
  import { follow, go } from '../lib/route.svelte';
  import { dropSchedule, listMail, listSchedules, runSchedule, showMail, showSchedule, type KeptMail, type Schedule } from '../lib/schedules';
  import { counted, say } from '../lib/words';
  import DataTable from '../parts/DataTable.svelte';
  import Notice from '../parts/Notice.svelte';
  import PageHead from '../parts/PageHead.svelte';

  // The schedules, or one of them: when it runs next and what its answers will mean, and what became of the last times.
  let { name }: { name: string } = $props();

  let all = $state.raw<Schedule[]>();
  let one = $state.raw<Schedule>();
  let mails = $state.raw<KeptMail[]>([]);
  let mail = $state.raw<KeptMail>();

  const cell = 'border-b border-line px-2.5 py-1.5 align-top';
  const doing = new Doing(async () => {
    if (name) one = await showSchedule(name);
    else all = await listSchedules();
    if (isDeveloper()) mails = await listMail().catch(() => []); // a service without the stand-in has none
  });
  void doing.do(() => Promise.resolve(''));

  const run = () =>
    doing.do(async () => {
      const last = (await runSchedule(name)).last[0]!;
      return last.state === 'done' ? say('It was run; its receipt has number {0}.', last.receipt) : (last.problem ?? '');
    });

  const drop = () =>
    doing.do(async () => {
      await dropSchedule(name);
      go('/schedules');
      return undefined;
    });

  /** A time by the clocks of its schedule's zone. */
  const shown = (at: string) => `${spelledDay(dayOf(at)!)} ${clockOf(at)}`;

  const states: Record<string, string> = {
    claimed: say('under way'),
    done: say('done'),
    failed: say('failed'),
    skipped: say('left out'),
    waiting: say('waiting'),
    sending: say('being sent'),
    sent: say('sent'),
    not_wanted: say('not wanted'),
    doubtful: say('doubtful'),
  };

  async function open(kept: KeptMail) {
    await doing.do(async () => {
      mail = await showMail(kept.name);
      return '';
    });
  }
</script>

<svelte:head><title>{say('{0} · Pike Gate', name || say('Schedules'))}</title></svelte:head>

<div class="mx-auto flex max-w-[980px] flex-col gap-5 p-6">
  <PageHead title={name || say('Schedules')}>
    {#snippet about()}
      {#if name}<a href="/schedules" onclick={follow}>{say('All schedules')}</a>{:else}{say(
          'Reports that run by themselves, and send what comes back. Open a report and choose Schedule to make one of your own.',
        )}{/if}
    {/snippet}
    {#snippet tools()}
      {#if one}
        <button type="button" class="btn-plain" onclick={() => void run()}>{say('Run it now')}</button>
        {#if one.own && (one.person === currentPerson().name || currentPerson().role === 'admin')}
          <button type="button" class="btn-plain" onclick={() => void drop()}>{say('Drop it')}</button>
        {/if}
        {#if !one.own && isDeveloper()}
          <a class="btn-plain no-underline" href="/workroom/schedule/{encodeURIComponent(name)}" onclick={follow}>{say('Definition')}</a>
        {/if}
      {/if}
    {/snippet}
  </PageHead>
  {#if doing.failed}<Notice kind="failed">{doing.failed}</Notice>{/if}
  <p class="text-sm text-quiet" role="status">{doing.said}</p>

  {#if all}
    {#if all.length === 0}
      <p>{say('There are no schedules yet.')}</p>
    {:else}
      <div class="overflow-x-auto">
        <DataTable
          caption={say('Schedules')}
          heads={[
            { text: say('Schedule') },
            { text: say('Report') },
            { text: say('When') },
            { text: say('Next') },
            { text: say('Last') },
            { text: say('Whose') },
          ]}
        >
          {#snippet rows()}
            {#each all ?? [] as s (s.name)}
              <tr>
                <td class={cell}><a href="/schedules/{encodeURIComponent(s.name)}" onclick={follow}>{s.name}</a></td>
                <td class={cell}>{s.check ? say('checks {0}', s.check) : s.title}</td>
                <td class={cell}>{s.at}</td>
                <td class="{cell} whitespace-nowrap">{s.next[0] ? shown(s.next[0].at) : '—'}</td>
                <td class={cell}>
                  {#if s.last[0]}{states[s.last[0].state]}{:else}—{/if}
                  {#if s.problem}<span class="block whitespace-pre-line text-brick">{s.problem}</span>{/if}
                </td>
                <td class={cell}>{s.person}</td>
              </tr>
            {/each}
          {/snippet}
        </DataTable>
      </div>
    {/if}
  {/if}

  {#if one}
    <dl class="grid grid-cols-[max-content_1fr] gap-x-5 gap-y-1 text-[15px]">
      {#if one.check}
        <dt class="text-quiet">{say('Checks')}</dt>
        <dd>{one.check}</dd>
      {:else}
        <dt class="text-quiet">{say('Report')}</dt>
        <dd><a href="/reports/{encodeURIComponent(one.report)}" onclick={follow}>{one.title}</a></dd>
      {/if}
      <dt class="text-quiet">{say('When')}</dt>
      <dd>{one.at}, {one.zone}</dd>
      <dt class="text-quiet">{say('Runs with what')}</dt>
      <dd>{say('{0} may', one.person)}</dd>
      <dt class="text-quiet">{say('Missed times')}</dt>
      <dd>{one.missed === 'skip' ? say('are left out') : say('are run once')}</dd>
      <dt class="text-quiet">{say('Sends')}</dt>
      <dd>
        {#each one.send as to (to)}<span class="block">{to}</span>{/each}
      </dd>
    </dl>
    {#if one.problem}<Notice kind="failed"><span class="whitespace-pre-line">{one.problem}</span></Notice>{/if}
    <section>
      <h2 class="mb-1 text-base font-[640]">{say('Next times')}</h2>
      <div class="overflow-x-auto">
        <DataTable
          caption={say('Next times, with what the answers will mean')}
          heads={[{ text: say('When') }, { text: say('As of') }, { text: say('Answers') }]}
        >
          {#snippet rows()}
            {#each one?.next ?? [] as n (n.at)}
              <tr>
                <td class="{cell} whitespace-nowrap">{shown(n.at)}</td>
                <td class="{cell} whitespace-nowrap">{spelledDay(n.as_of)}</td>
                <td class={cell}>
                  {#if n.problem}<span class="text-brick">{n.problem}</span>{:else}
                    {#each n.answers.filter((a) => a.given) as a (a.prompt)}<span class="block">{a.spelled}</span>{/each}
                  {/if}
                </td>
              </tr>
            {/each}
          {/snippet}
        </DataTable>
      </div>
    </section>
    <section>
      <h2 class="mb-1 text-base font-[640]">{say('Last times')}</h2>
      {#if one.last.length === 0}
        <p>{say('It has not run yet.')}</p>
      {:else}
        <div class="overflow-x-auto">
          <DataTable caption={say('Last times, with what was sent')} heads={[{ text: say('When') }, { text: say('Run') }, { text: say('Sent') }]}>
            {#snippet rows()}
              {#each one?.last ?? [] as p (p.at)}
                <tr>
                  <td class="{cell} whitespace-nowrap">{shown(p.at)}</td>
                  <td class={cell}>
                    <span class:text-brick={p.state === 'failed'}>{states[p.state]}</span>{#if p.receipt},
                      <a href="/receipts/{p.receipt}" onclick={follow}>{say('receipt {0}', p.receipt)}</a>{/if}
                    {#if p.problem}<span class="block text-brick">{p.problem}</span>{/if}
                  </td>
                  <td class={cell}>
                    {#each p.deliveries as d (d.kind + d.recipient)}
                      <span class="block wrap-anywhere"
                        >{d.recipient}: <span class:text-brick={d.state === 'failed' || d.state === 'doubtful'}>{states[d.state]}</span>{#if d.problem}<span
                            class="block ps-4 text-brick">{d.problem}</span
                          >{/if}</span
                      >
                    {/each}
                  </td>
                </tr>
              {/each}
            {/snippet}
          </DataTable>
        </div>
      {/if}
    </section>
  {/if}

  {#if mails.length > 0 && !name}
    <section>
      <h2 class="mb-1 text-base font-[640]">{say('Mails that would have been sent')}</h2>
      <p class="mb-1 text-sm text-quiet">{say('The mail stand-in keeps them; nobody has got them.')}</p>
      <div class="overflow-x-auto">
        <DataTable caption={say('Mails of the stand-in, the latest first')} heads={[{ text: say('When') }, { text: say('To') }, { text: say('Subject') }]}>
          {#snippet rows()}
            {#each mails as m (m.name)}
              <tr>
                <td class="{cell} whitespace-nowrap">{momentText(m.at)}</td>
                <td class="{cell} wrap-anywhere">{m.to}</td>
                <td class={cell}>
                  <button type="button" class="cursor-pointer underline" onclick={() => void open(m)}>{m.subject}</button>
                  {#if m.files?.length}<span class="text-quiet">{counted(m.files.length, '{0} file|{0} files')}</span>{/if}
                </td>
              </tr>
            {/each}
          {/snippet}
        </DataTable>
      </div>
      {#if mail}
        <article class="mt-3 rounded-md border border-line bg-card p-4" aria-label={say('The mail')}>
          <p class="text-sm text-quiet">{say('From {0} to {1}', mail.from, mail.to)}</p>
          <!-- svelte-ignore a11y_no_noninteractive_tabindex (it is scrolled by keys) -->
          <div class="my-2 overflow-x-auto" tabindex="0" role="region" aria-label={say('Its text')}>
            <pre class="font-mono text-[13px]/[1.45]">{mail.text}</pre>
          </div>
          {#each mail.files ?? [] as f (f.name)}<p class="text-sm">{f.name}, {counted(f.bytes, '{0} byte|{0} bytes')}</p>{/each}
        </article>
      {/if}
    </section>
  {/if}
</div>
