<script lang="ts">
  import { say } from '../lib/words';
  import { follow, go } from '../lib/route.svelte';
  import Notice from '../parts/Notice.svelte';
  import PageHead from '../parts/PageHead.svelte';
  import { messageOf } from '../lib/api';
  import { listDefinitions, listDrafts, listWords, saveDraft, type Words } from './api';
  import { definitionsFor, nameOf, starts, type Start } from './templates';

  // A new report by the question that it answers: its query and what it asks are made with it.
  let { dataset }: { dataset: string } = $props();

  let datasets = $state.raw<string[]>();
  // svelte-ignore state_referenced_locally
  let of = $state(dataset);
  let words = $state.raw<Words>();
  let start = $state<Start>('between');
  let title = $state('');
  let date = $state('');
  let failed = $state('');

  Promise.all([listDefinitions(), listDrafts()]).then(
    ([all, drafts]) => {
      datasets = [...new Set([...all, ...drafts].filter((d) => d.kind === 'dataset').map((d) => d.name))].sort();
      if (!of) of = datasets[0] ?? '';
    },
    (cause: Error) => (failed = cause.message),
  );
  $effect(() => {
    if (!of) return;
    listWords(of).then(
      (w) => {
        words = w.problem ? undefined : w;
        failed = w.problem ?? '';
      },
      (cause: Error) => {
        words = undefined;
        failed = cause.message;
      },
    );
  });

  const dates = $derived((words?.columns ?? []).filter((c) => ['date', 'datetime', 'instant'].includes(c.type)));
  const needsDate = $derived(start !== 'all');
  const name = $derived(nameOf(title));

  async function make(event: SubmitEvent) {
    event.preventDefault();
    failed = '';
    if (!words || !name) {
      failed = !name ? say('Give the report a title of some letters.') : say('Choose a dataset first.');
      return;
    }
    if (needsDate && dates.length === 0) {
      failed = say('{0} has no column of dates; begin with all records.', words.title);
      return;
    }
    try {
      for (const d of definitionsFor(start, name, title.trim(), words, date || dates[0]?.name || '')) await saveDraft(d.kind, d.name, 0, d.text);
      go(`/workroom/query/${encodeURIComponent(name)}`);
    } catch (cause) {
      failed = messageOf(cause);
    }
  }
</script>

<svelte:head><title>{say('New report · Workroom · Pike Gate')}</title></svelte:head>

<div class="mx-auto max-w-[760px] px-6 pt-7 pb-15">
  <PageHead title={say('New report')}>
    {#snippet about()}<a href="/workroom" onclick={follow}>{say('Workroom')}</a> {say('· by the question that it answers')}{/snippet}
  </PageHead>
  {#if datasets && datasets.length === 0}
    <Notice kind="warning" class="mt-4"
      >{say('Nothing is described yet that a report could show.')} <a href="/workroom/data" onclick={follow}>{say('Find data first')}</a>.</Notice
    >
  {:else}
    <form class="mt-5 grid gap-5" onsubmit={make}>
      {#if failed}<Notice kind="failed">{failed}</Notice>{/if}
      <label class="grid gap-1 font-[640]"
        >{say('Of which records?')}
        <select class="select bg-field font-normal" bind:value={of}>
          {#each datasets ?? [] as d (d)}<option value={d}>{d}</option>{/each}
        </select>
      </label>
      <fieldset class="grid gap-1">
        <legend class="mb-1 font-[640]">{say('What do readers want to know?')}</legend>
        {#each starts as s (s.start)}
          <label class="flex items-baseline gap-2.5 px-1 py-0.5 hover:bg-tint"
            ><input class="radio translate-y-0.5" type="radio" name="start" value={s.start} bind:group={start} />
            <span>{s.text} <span class="text-sm text-quiet">{s.note}</span></span></label
          >
        {/each}
      </fieldset>
      {#if needsDate && dates.length > 0}
        <label class="grid gap-1 font-[640]"
          >{say('By which date?')}
          <select class="select bg-field font-normal" value={date || dates[0]!.name} onchange={(e) => (date = e.currentTarget.value)}>
            {#each dates as c (c.name)}<option value={c.name}>{c.label}</option>{/each}
          </select>
        </label>
      {/if}
      <label class="grid gap-1 font-[640]"
        >{say('Title')}
        <input class="input bg-field font-normal" bind:value={title} placeholder={say('Late sailings')} autocomplete="off" />
        <span class="text-sm font-normal text-quiet">{name ? say('Commands and files name it {0}.', name) : say('What readers find it by.')}</span>
      </label>
      <p><button class="btn bg-deep px-5 py-2 text-on-deep" type="submit">{say('Make it')}</button></p>
    </form>
  {/if}
</div>
