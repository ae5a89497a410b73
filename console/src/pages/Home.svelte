<script lang="ts">
  import { counted, say } from '../lib/words';
  import { linkOfAnswers, linkOfEntered } from '../lib/answers';
  import { forgetKept, listKept, listLinks, listReceipts, messageOf, revokeLink, type Kept, type Link, type Receipt, type ReportSummary } from '../lib/api';
  import { momentText, spelledDay } from '../lib/format';
  import { keepSeen, newSince, seenReports } from '../lib/latest';
  import { currentPerson } from '../lib/person.svelte';
  import { follow } from '../lib/route.svelte';

  // What one comes back to: what is new, what one ran lately, what one keeps.
  // ready is called once it is there, or cannot be had.
  let { reports, ready }: { reports: ReportSummary[]; ready: () => void } = $props();

  let lately = $state.raw<Receipt[]>([]);
  let kept = $state.raw<Kept[]>([]);
  let links = $state.raw<Link[]>([]);
  let said = $state('');

  const seen = seenReports();
  const fresh = $derived(newSince(reports, seen));
  $effect(() => keepSeen(reports));

  const mostLately = 5;

  /** The latest run of each report, and of each set of answers to it. */
  function distinct(receipts: Receipt[]): Receipt[] {
    const found = new Map<string, Receipt>();
    for (const r of receipts) {
      const of = JSON.stringify([r.report, r.entered ?? {}]);
      if (!found.has(of) && (r.state === 'rows' || r.state === 'no_rows')) found.set(of, r);
    }
    return [...found.values()].slice(0, mostLately);
  }

  async function load() {
    const query = new URLSearchParams({ limit: '60' });
    if (currentPerson().name) query.set('person', currentPerson().name);
    const [receipts, answers, live] = await Promise.all([listReceipts(query.toString()), listKept(), listLinks()]);
    [lately, kept, links] = [distinct(receipts.receipts), answers, live];
  }
  load()
    .catch(() => {}) // the list of reports says that the service does not answer
    .then(() => ready());

  async function change(done: Promise<void>) {
    try {
      await done;
      await load();
      said = '';
    } catch (cause) {
      said = messageOf(cause);
    }
  }

  const heading = 'mt-6.5 mb-1.5 text-[15px] font-[640] text-quiet';
  const row = 'flex flex-wrap items-baseline gap-x-3 gap-y-0.5 px-1 py-1.5';
</script>

{#if said}<p class="text-brick" role="status">{said}</p>{/if}
{#if fresh.length > 0}
  <section aria-label={say('New')}>
    <h2 class={heading}>{say('New since you last came')}</h2>
    <ul class="divide-y divide-line border-y border-line">
      {#each fresh.slice(0, 10) as r (r.name)}
        <li class={row}>
          <a class="font-[640]" href="/reports/{encodeURIComponent(r.name)}" onclick={follow}>{r.title}</a>
          <span class="text-sm text-quiet">{seen?.[r.name] ? say('changed') : say('new')}</span>
        </li>
      {/each}
    </ul>
  </section>
{/if}
{#if lately.length > 0}
  <section aria-label={say('Lately')}>
    <h2 class={heading}>{say('What you ran lately')}</h2>
    <ul class="divide-y divide-line border-y border-line">
      {#each lately as r (r.id)}
        <li class={row}>
          <a class="font-[640]" href={linkOfEntered(r)} onclick={follow}>{r.title}</a>
          <span class="text-sm text-quiet">{momentText(r.started_at)}</span>
          <span class="w-full truncate text-sm text-quiet" title={r.read_back}>{r.read_back}</span>
        </li>
      {/each}
    </ul>
  </section>
{/if}
{#if kept.length > 0}
  <section aria-label={say('Kept')}>
    <h2 class={heading}>{say('Kept answers')}</h2>
    <ul class="divide-y divide-line border-y border-line">
      {#each kept as k (k.id)}
        <li class={row}>
          <a class="font-[640]" href={linkOfAnswers(k)} onclick={follow}>{k.name}</a>
          <span class="text-sm text-quiet"
            >{k.title}, {k.as_of ? say('frozen as of {0}', spelledDay(k.as_of)) : say('asking')}{k.own
              ? k.shared
                ? say(', shared')
                : k.groups
                  ? say(', shared with {0}', k.groups.join(', '))
                  : ''
              : say(', by {0}', k.person)}</span
          >
          {#if k.problem}<span class="text-sm text-brick">{k.problem}</span>{/if}
          {#if k.own}<button type="button" class="ms-auto btn-plain" aria-label={say('Forget {0}', k.name)} onclick={() => void change(forgetKept(k.id))}
              >{say('Forget')}</button
            >{/if}
        </li>
      {/each}
    </ul>
  </section>
{/if}
{#if links.length > 0}
  <section aria-label={say('Live links')}>
    <h2 class={heading}>{say('Live links')}</h2>
    <ul class="divide-y divide-line border-y border-line">
      {#each links as l (l.id)}
        <li class={row}>
          <b class="font-[640]">{l.name}</b>
          <span class="text-sm text-quiet"
            >{l.title}, {l.format.toUpperCase()}, {l.used_at
              ? say('read {0}, last {1}', counted(l.uses, '{0} time|{0} times'), momentText(l.used_at))
              : say('never read')}</span
          >
          {#if l.revoked_at}<span class="text-sm text-quiet">{say('revoked {0}', momentText(l.revoked_at))}</span>
          {:else}<button type="button" class="ms-auto btn-plain" aria-label={say('Revoke {0}', l.name)} onclick={() => void change(revokeLink(l.id))}
              >{say('Revoke')}</button
            >{/if}
        </li>
      {/each}
    </ul>
  </section>
{/if}
