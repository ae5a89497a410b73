<script lang="ts">
  import { counted, say } from '../lib/words';
  import { momentText } from '../lib/format';
  import { follow, go } from '../lib/route.svelte';
  import Notice from '../parts/Notice.svelte';
  import PageHead from '../parts/PageHead.svelte';
  import { messageOf } from '../lib/api';
  import { listDefinitions, listDrafts, listSources, saveDraft, type Listed } from './api';
  import Piece from './Piece.svelte';
  import { beginningOf, nameOf } from './templates';

  // All definitions by kind, and what is being written.
  let { find }: { find: string } = $props();

  type Line = { kind: string; name: string; title: string; draft?: Listed };
  let lines = $state.raw<Line[]>();
  let drafts = $state.raw<Listed[]>([]);
  let hasData = $state(true);
  let failed = $state('');

  const kinds = [
    ['report', say('Reports'), say('a report')],
    ['query', say('Queries'), say('a query')],
    ['prompt', say('Questions'), say('a question')],
    ['filter', say('Filters'), say('a filter')],
    ['dataset', say('Datasets'), say('a dataset')],
    ['proof', say('Proofs'), say('a proof')],
    ['period', say('Periods of the business'), say('a period of the business')],
    ['source', say('Sources'), say('a source')],
  ] as const;

  const titleOf = (text: string) => /^(?:title|ask): *(.*)$/m.exec(text)?.[1]?.replace(/^(['"])(.*)\1$/, '$2') ?? '';

  async function load() {
    try {
      const [all, mine, sources] = await Promise.all([listDefinitions(), listDrafts(true), listSources()]);
      drafts = mine;
      hasData = sources.length > 0 || mine.length > 0;
      const found: Line[] = all.map((d) => ({
        kind: d.kind,
        name: d.name,
        title: titleOf(d.text),
        draft: mine.find((m) => m.kind === d.kind && m.name === d.name),
      }));
      for (const m of mine) if (!found.some((d) => d.kind === m.kind && d.name === m.name)) found.push({ kind: m.kind, name: m.name, title: '', draft: m });
      lines = found;
    } catch (cause) {
      failed = messageOf(cause);
    }
  }
  void load();

  let newKind = $state('query');
  let newName = $state('');

  async function begin(event: SubmitEvent) {
    event.preventDefault();
    const name = nameOf(newName);
    failed = name ? '' : say('Give it a name of small letters.');
    if (failed) return;
    try {
      await saveDraft(
        newKind,
        name,
        0,
        beginningOf(newKind, name, lines?.find((l) => l.kind === 'dataset')?.name ?? '', lines?.find((l) => l.kind === 'source')?.name ?? ''),
      );
      go(`/workroom/${newKind}/${encodeURIComponent(name)}`);
    } catch (cause) {
      failed = messageOf(cause);
    }
  }

  const words = $derived(find.toLowerCase().split(/\s+/).filter(Boolean));
  const shown = $derived((lines ?? []).filter((l) => words.every((w) => `${l.kind} ${l.name} ${l.title}`.toLowerCase().includes(w))));
</script>

<svelte:head><title>{say('Workroom · Pike Gate')}</title></svelte:head>

<div class="mx-auto max-w-[1080px] px-6 pt-7 pb-15">
  <PageHead title={say('Workroom')}>
    {#snippet about()}{say('Queries, questions and reports, from the data to what readers see.')}{/snippet}
    {#snippet tools()}
      <a class="btn-plain no-underline" href="/workroom/data" onclick={follow}>{say('Find data')}</a>
      <Piece text={say('New part')} names={say('Action')} look="quiet">
        <form class="grid gap-2" onsubmit={begin}>
          <label class="grid text-sm"
            >{say('What is it?')}
            <select class="select bg-field text-sm" bind:value={newKind}>
              {#each kinds as [kind, , one] (kind)}<option value={kind}>{one}</option>{/each}
            </select></label
          >
          <label class="grid text-sm"
            >{say('Its name')}
            <input class="input bg-field text-sm" bind:value={newName} placeholder={say('small letters and dashes')} autocomplete="off" /></label
          >
          <button class="btn-plain" type="submit">{say('Begin')}</button>
        </form>
      </Piece>
      <a class="btn bg-deep text-on-deep no-underline" href="/workroom/start" onclick={follow}>{say('New report')}</a>
    {/snippet}
  </PageHead>
  {#if failed}<Notice kind="failed">{failed}</Notice>{/if}
  {#if drafts.length > 0}
    <Notice kind="warning" class="mt-4">
      {say('{0} not published yet:', counted(drafts.length, '{0} draft|{0} drafts'))}
      {#each drafts.slice(0, 6) as d, i (`${d.kind} ${d.name} ${d.person}`)}{i > 0 ? ', ' : ''}<a
          href="/workroom/{d.kind}/{encodeURIComponent(d.name)}"
          onclick={follow}>{d.name}</a
        >{/each}{drafts.length > 6 ? '…' : ''}.
      <a href="/workroom/changes" onclick={follow}>{say('Check and publish them')}</a>
    </Notice>
  {/if}
  {#if lines && !hasData}
    <section class="mt-6 rounded-container border border-line bg-card p-6">
      <h2 class="text-[19px] font-[660]">{say('Start with data')}</h2>
      <p class="mt-1 text-quiet">{say('Nothing is described yet. Records come from a file that is dropped here, or from a database that is connected.')}</p>
      <p class="mt-4 flex flex-wrap gap-3">
        <a class="btn bg-deep text-on-deep no-underline" href="/workroom/data" onclick={follow}>{say('Drop a file or connect a database')}</a>
      </p>
    </section>
  {:else if lines}
    <p class="mt-3 text-sm text-quiet" role="status">{counted(shown.length, '{0} definition|{0} definitions')}{find ? say(' with “{0}”', find) : ''}</p>
    <div class="mt-2 grid grid-cols-2 gap-x-8 gap-y-6 max-[760px]:grid-cols-1">
      {#each kinds as [kind, heading] (kind)}
        {@const of = shown.filter((l) => l.kind === kind)}
        {#if of.length > 0}
          <section aria-label={heading}>
            <h2 class="mb-1 text-[15px] font-[660] text-quiet">{heading} <span class="font-normal">{of.length}</span></h2>
            <ul class="divide-y divide-line border-y border-line">
              {#each of as l (l.name)}
                <li>
                  <a
                    class="flex items-baseline gap-2 px-2 py-1 text-ink no-underline hover:bg-tint"
                    href="/workroom/{kind}/{encodeURIComponent(l.name)}"
                    onclick={follow}
                    ><b class="font-[600] text-deep">{l.name}</b><span class="min-w-0 flex-1 truncate text-sm text-quiet">{l.title}</span>{#if l.draft}<span
                        class="text-sm whitespace-nowrap text-amber"
                        title={say('saved {0}', momentText(l.draft.saved_at))}>{l.draft.base > 0 ? 'draft' : 'new'}</span
                      >{/if}</a
                  >
                </li>
              {/each}
            </ul>
          </section>
        {/if}
      {/each}
    </div>
  {/if}
</div>
