<script lang="ts">
  import { counted, say } from '../lib/words';
  import { linkOfLine } from '../lib/answers';
  import { listReports, readLine, type Line, type ReportSummary } from '../lib/api';
  import { follow } from '../lib/route.svelte';
  import Home from './Home.svelte';
  import Notice from '../parts/Notice.svelte';
  import PageHead from '../parts/PageHead.svelte';

  let { find }: { find: string } = $props();

  let reports = $state<ReportSummary[]>();
  let isHome = $state(false); // whether what stands above the shelves on a narrow screen is there, so that they do not move
  let failed = $state('');

  $effect(() => {
    const stop = new AbortController();
    listReports(find, stop.signal).then(
      (found) => {
        reports = found;
        failed = '';
      },
      (cause: Error) => {
        if (!stop.signal.aborted) failed = cause.message;
      },
    );
    return () => stop.abort();
  });

  // What was typed, read as one line: a report and answers.
  let line = $state.raw<Line>();
  $effect(() => {
    const text = find.trim();
    if (text === '') {
      line = undefined;
      return;
    }
    const stop = new AbortController();
    const timer = setTimeout(
      () =>
        readLine(text, stop.signal).then(
          (read) => (line = read),
          () => {}, // the list below says what is wrong
        ),
      120,
    );
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
  });

  const shelves = $derived([...Map.groupBy(reports ?? [], (r) => r.shelf || say('On no shelf'))]);
</script>

<svelte:head><title>{say('Reports · Pike Gate')}</title></svelte:head>

<div class="mx-auto max-w-[1180px] px-6 pt-7 pb-15">
  <PageHead title={say('Reports')} />
  <p class="text-quiet" role="status">
    {#if reports && find}{reports.length === 0 && line?.report
        ? ''
        : say('{0} with “{1}”', counted(reports.length, '{0} report|{0} reports'), find)}{:else if reports}{say(
        '{0}, by shelf',
        counted(reports.length, '{0} report|{0} reports'),
      )}{/if}
  </p>
  {#if line?.report}
    <section class="mt-3 border-s-4 border-deep bg-tint px-4 py-2.5" aria-label={say('What this line means')}>
      <p role="status">
        <a class="font-[640]" href={linkOfLine(line)} onclick={follow}>{line.title}</a>{#each line.understood as u, i (i)}{i === 0
            ? ` ${say('with')} `
            : ', '}<b class="font-[600] text-amber">{u.words}</b>{#if u.refused}{' '}<span class="text-brick">({u.refused})</span>{:else if u.spelled}{' '}<span
              class="text-quiet">({u.spelled})</span
            >{/if}{/each}.
        {#if line.left_over.length > 0}<span class="text-brick">{say('Not understood: {0}.', line.left_over.join(', '))}</span>{/if}
      </p>
      <p class="text-sm text-quiet">{say('Enter opens it.')}</p>
    </section>
  {:else if line && line.fits.length > 1}
    <section class="mt-3 border-s-4 border-amber bg-amber-tint px-4 py-2.5" aria-label={say('What this line means')}>
      <p role="status">
        {say('Several reports fit alike:')}
        {#each line.fits as f, i (f.name)}{i > 0 ? ', ' : ''}<a href="/reports/{encodeURIComponent(f.name)}" onclick={follow}>{f.title}</a>{/each}{say(
          '. One more word of a title says which.',
        )}
      </p>
    </section>
  {/if}
  {#if failed}
    <Notice kind="failed">{failed}</Notice>
  {:else if reports && reports.length === 0 && !line?.report}
    <p>
      {#if find}{say('No report holds these words.')} <a href="/" onclick={follow}>{say('Show all reports')}</a>
      {:else}{say('No reports yet. Put a file of definitions with')} <code class="code">pikegate put</code>{say(', or try the demo with')}
        <code class="code">pikegate demo</code>.{/if}
    </p>
  {/if}
  <div class={find ? '' : 'grid grid-cols-[minmax(0,1fr)_330px] gap-x-10 max-[1040px]:grid-cols-1'}>
    {#if reports && !find}
      <div class="col-start-2 row-start-1 max-[1040px]:col-start-1"><Home {reports} ready={() => (isHome = true)} /></div>
    {/if}
    <section
      aria-label={say('Shelves')}
      aria-busy={!find && !isHome}
      class={find ? '' : `col-start-1 row-start-1 max-[1040px]:row-start-2 ${isHome ? '' : 'max-[1040px]:invisible'}`}
    >
      {#each shelves as [shelf, on] (shelf)}
        <section>
          <h2 class="mt-6.5 mb-1.5 text-[15px] font-[640] text-quiet">{shelf}</h2>
          <ul class="divide-y divide-line border-y border-line">
            {#each on as r (r.name)}
              <li>
                <a
                  class="grid grid-cols-[240px_1fr] gap-x-4 gap-y-1 px-3 py-[11px] text-ink no-underline hover:bg-tint max-[700px]:grid-cols-1"
                  href="/reports/{encodeURIComponent(r.name)}"
                  onclick={follow}><b class="text-base font-[640] text-deep">{r.title}</b> <span class="text-quiet">{r.about}</span></a
                >
              </li>
            {/each}
          </ul>
        </section>
      {/each}
    </section>
  </div>
</div>
