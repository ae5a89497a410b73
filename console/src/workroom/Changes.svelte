<script lang="ts">
  import { counted, numberText, say } from '../lib/words';
  import { messageOf, Refused, type Fault } from '../lib/api';
  import { momentText } from '../lib/format';
  import { follow } from '../lib/route.svelte';
  import DataTable from '../parts/DataTable.svelte';
  import Notice from '../parts/Notice.svelte';
  import PageHead from '../parts/PageHead.svelte';
  import { checkDrafts, effectOfDrafts, getDraft, getRevision, listDrafts, publishDrafts, type Draft, type Effect, type Put } from './api';
  import Setting from './Setting.svelte';
  import TextDifference from './TextDifference.svelte';

  // All that one is writing, on its way to readers: the differences, what a check finds, what it would change in the
  // runs that readers made lately, and the button.
  let drafts = $state.raw<Draft[]>();
  let findings = $state.raw<Fault[]>();
  let effect = $state.raw<Effect>();
  let published = $state.raw<Put[]>();
  let failed = $state('');
  let chosen = $state<Record<string, boolean>>({});
  let busy = $state(false);

  const key = (d: { kind: string; name: string }) => `${d.kind} ${d.name}`;
  const errors = $derived((findings ?? []).filter((f) => !f.warning));
  const takes = $derived((drafts ?? []).filter((d) => chosen[key(d)] ?? true));

  async function load() {
    failed = '';
    try {
      const all = await listDrafts();
      drafts = await Promise.all(all.map((d) => getDraft(d.kind, d.name)));
      if (drafts.length === 0) return;
      findings = await checkDrafts();
      effect = await effectOfDrafts();
    } catch (cause) {
      failed = messageOf(cause);
    }
  }
  void load();

  async function publish() {
    busy = true;
    failed = '';
    try {
      published = (await publishDrafts(takes.map((d) => ({ kind: d.kind, name: d.name })))).definitions;
      findings = effect = undefined;
      await load();
    } catch (cause) {
      failed = messageOf(cause);
      if (cause instanceof Refused && cause.problem.errors?.length) findings = cause.problem.errors;
    } finally {
      busy = false;
    }
  }

  let before = $state<Record<string, string>>({});
  /** Fetches what a draft started from, where it is to be seen beside it. */
  async function compare(d: Draft, isOpen: boolean) {
    if (!isOpen || before[key(d)] !== undefined) return;
    try {
      before[key(d)] = (await getRevision(d.kind, d.name, d.base)).text;
    } catch (cause) {
      failed = messageOf(cause);
    }
  }

  const placeOf = (f: Fault) => f.place.file ?? '';
  const changed = $derived((effect?.runs ?? []).filter((r) => !r.same));
</script>

<svelte:head><title>{say('Changes · Workroom · Pike Gate')}</title></svelte:head>

<div class="mx-auto max-w-[980px] px-6 pt-7 pb-15">
  <PageHead title={say('Check and publish')}>
    {#snippet about()}<a href="/workroom" onclick={follow}>{say('Workroom')}</a> {say('· what you are writing, on its way to readers')}{/snippet}
    {#snippet tools()}
      <button type="button" class="btn bg-deep text-on-deep" disabled={busy || takes.length === 0} onclick={() => void publish()}
        >{busy ? say('Publishing…') : say('Publish {0}', counted(takes.length, '{0} draft|{0} drafts'))}</button
      >
    {/snippet}
  </PageHead>
  <div class="mt-4 grid gap-5">
    {#if failed}<Notice kind="failed">{failed}</Notice>{/if}
    {#if published}
      <Notice kind="read">
        {say('Published:')}
        {#each published as p, i (key(p))}{i > 0 ? ', ' : ''}<a
            href={p.kind === 'report' ? `/reports/${encodeURIComponent(p.name)}` : `/workroom/${p.kind}/${encodeURIComponent(p.name)}`}
            onclick={follow}>{p.kind} {p.name}</a
          >{p.change === 'same' ? say(' (the same as before)') : say(', revision {0}', p.revision)}{/each}.
      </Notice>
    {/if}
    {#if drafts && drafts.length === 0}
      <p class="text-quiet" role="status">{say('There are no drafts. What you change in the workroom stands here until it is published.')}</p>
    {:else if drafts}
      <section aria-label={say('Drafts')}>
        <h2 class="mb-1.5 text-[17px] font-[660]">{say('What changes')}</h2>
        <ul class="divide-y divide-line border-y border-line">
          {#each drafts as d (key(d))}
            <li class="grid grid-cols-[auto_1fr] gap-x-3 py-2">
              <input
                class="mt-1 checkbox"
                type="checkbox"
                aria-label={say('Publish {0}', key(d))}
                checked={chosen[key(d)] ?? true}
                onchange={(e) => (chosen[key(d)] = e.currentTarget.checked)}
              />
              <div class="min-w-0">
                <a class="font-[640]" href="/workroom/{d.kind}/{encodeURIComponent(d.name)}" onclick={follow}>{d.kind} {d.name}</a>
                <span class="text-sm text-quiet"
                  >{d.base === 0 ? 'new' : say('from revision {0}', d.base)}{d.saved_at ? say(', saved {0}', momentText(d.saved_at)) : ''}</span
                >
                {#if (d.theirs?.length ?? 0) > 0}<p class="text-sm text-brick">
                    {say('A later revision was published meanwhile: open it and choose what to take.')}
                  </p>{/if}
                <ul class="text-sm">
                  {#each d.changes.slice(0, 12) as c, i (i)}
                    <li><Setting change={c} /></li>
                  {/each}
                  {#if d.changes.length > 12}<li class="text-quiet">{say('and {0} more', d.changes.length - 12)}</li>{/if}
                </ul>
                {#if d.base > 0}
                  <details class="text-sm" ontoggle={(e) => void compare(d, e.currentTarget.open)}>
                    <summary class="w-max cursor-pointer text-deep">{say('as texts')}</summary>
                    {#if before[key(d)] !== undefined}
                      <TextDifference old={{ text: before[key(d)]!, name: say('Revision {0}', d.base) }} now={{ text: d.text, name: say('This draft') }} />
                    {/if}
                  </details>
                {/if}
              </div>
            </li>
          {/each}
        </ul>
      </section>
      <section aria-label={say('Findings')}>
        <h2 class="mb-1.5 text-[17px] font-[660]">{say('What a check finds')}</h2>
        {#if !findings}
          <p class="text-quiet" role="status">{say('Checking, with the databases and the proofs…')}</p>
        {:else if findings.length === 0}
          <p role="status">{say('Nothing: all fits together and with the databases, and the proofs hold.')}</p>
        {:else}
          <p class="mb-1 text-sm text-quiet" role="status">
            {counted(errors.length, '{0} error|{0} errors')}, {counted(findings.length - errors.length, '{0} warning|{0} warnings')}
          </p>
          {#each findings as f, i (i)}
            {@const [kind, name] = placeOf(f).split(' ')}
            <p class="my-1 border-s-3 px-3 py-1 text-[14.5px] {f.warning ? 'border-amber bg-amber-tint' : 'border-brick bg-brick-tint'}">
              {#if kind && name}<a href="/workroom/{kind}/{encodeURIComponent(name)}?at={f.place.line}:{f.place.column ?? 1}" onclick={follow}>{kind} {name}</a
                >{say(', line {0}:', f.place.line)}{' '}{/if}{f.message}{f.suggestions?.length ? say('; did you mean “{0}”?', f.suggestions[0]) : '.'}
            </p>
          {/each}
        {/if}
      </section>
      <section aria-label={say('Effect on readers')}>
        <h2 class="mb-1.5 text-[17px] font-[660]">{say('What it changes for readers')}</h2>
        {#if !effect}
          <p class="text-quiet" role="status">{findings ? say('Running again what readers ran lately…') : say('After the check.')}</p>
        {:else if effect.reports.length === 0}
          <p role="status">{say('Nothing that is published is made of what changes.')}</p>
        {:else if effect.runs.length === 0}
          <p role="status">{say('{0}: nobody has run {1} yet.', effect.reports.join(', '), effect.reports.length === 1 ? 'it' : 'them')}</p>
        {:else}
          <p role="status">
            {say(
              '{0} of {1} made again: {2}{3}',
              counted(effect.runs.length, '{0} run|{0} runs'),
              effect.reports.join(', '),
              changed.length === 0 ? say('each would bring the same rows in the same order.') : say('{0} would bring something else.', changed.length),
              effect.left ? say(' {0} could not be tried in time.', counted(effect.left, '{0} run|{0} runs')) : '',
            )}
          </p>
          {#if changed.length > 0}
            <DataTable
              caption={say('Runs that would change')}
              heads={[
                { text: say('Run') },
                { text: say('What ran') },
                { text: say('Gained'), isNumber: true },
                { text: say('Lost'), isNumber: true },
                { text: say('Changed'), isNumber: true },
              ]}
            >
              {#snippet rows()}
                {#each changed as r (r.receipt)}
                  <tr class="[&>td]:border-b [&>td]:border-line [&>td]:px-2.5 [&>td]:py-1.5 [&>td]:align-top">
                    <td class="whitespace-nowrap"
                      ><a href="/receipts/{r.receipt}" onclick={follow}>{r.receipt}</a>
                      {r.report}<br /><span class="text-sm text-quiet">{r.person}, {momentText(r.started_at)}</span></td
                    >
                    <td class="text-[13.5px]"
                      >{r.said}{#if r.now}<br /><b class="font-[600]">{say('It would be:')}</b> {r.now}{/if}{#if r.problem}<br /><span class="text-brick"
                          >{r.problem}</span
                        >{/if}
                      {#if r.keys}<details class="text-quiet">
                          <summary class="cursor-pointer">{say('which')}</summary>{#each Object.entries(r.keys) as [what, keys] (what)}{#if keys?.length}<p>
                                {what}: {keys.map((k) => k.join(' ')).join(', ')}
                              </p>{/if}{/each}
                        </details>{/if}
                    </td>
                    <td class="text-end">{numberText(r.gained)}</td>
                    <td class="text-end" class:text-brick={r.lost > 0}>{numberText(r.lost)}</td>
                    <td class="text-end">{numberText(r.changed)}</td>
                  </tr>
                {/each}
              {/snippet}
            </DataTable>
          {/if}
        {/if}
      </section>
    {/if}
  </div>
</div>
