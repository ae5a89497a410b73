<script lang="ts">
  import { counted, say } from '../lib/words';
  import { follow } from '../lib/route.svelte';
  import Notice from '../parts/Notice.svelte';
  import PageHead from '../parts/PageHead.svelte';
  import Connect from './Connect.svelte';
  import DropFile from './DropFile.svelte';
  import TablePage from './TablePage.svelte';
  import { messageOf } from '../lib/api';
  import { listSources, listTables, type SourceInfo, type TableKind } from './api';

  // The databases of business records with their tables, and the way to get a file in.
  let { source, table }: { source: string; table: string } = $props();

  let sources = $state.raw<SourceInfo[]>();
  let tables = $state.raw<Record<string, TableKind[] | string>>({});
  let failed = $state('');

  async function load() {
    try {
      sources = await listSources();
      failed = '';
      await Promise.all(
        sources.map(async (s) => {
          try {
            const found = await listTables(s.name);
            tables = { ...tables, [s.name]: found };
          } catch (cause) {
            tables = { ...tables, [s.name]: messageOf(cause) };
          }
        }),
      );
    } catch (cause) {
      failed = messageOf(cause);
    }
  }
  void load();
  const embedded = $derived(sources?.find((s) => s.engine === 'embedded'));
</script>

<svelte:head><title>{say('{0} · Workroom · Pike Gate', table || say('Data'))}</title></svelte:head>

{#if source && table}
  {#key `${source}/${table}`}<TablePage {source} {table} />{/key}
{:else}
  <div class="mx-auto max-w-[980px] px-6 pt-7 pb-15">
    <PageHead title={say('Data')}>
      {#snippet about()}<a href="/workroom" onclick={follow}>{say('Workroom')}</a> {say('· where records come from')}{/snippet}
    </PageHead>
    {#if failed}<Notice kind="failed">{failed}</Notice>{/if}
    {#if sources}
      <DropFile {embedded} loaded={() => void load()} />
      {#each sources as s (s.name)}
        {@const found = tables[s.name]}
        <section class="mt-6" aria-label={say('Source {0}', s.name)}>
          <h2 class="text-[17px] font-[660]">
            {s.title || s.name}
            <span class="text-sm font-normal text-quiet"
              >{say('{0}, days by {1} ·', s.engine, s.zone)}
              <a href="/workroom/source/{encodeURIComponent(s.name)}" onclick={follow}>{say('its definition')}</a></span
            >
          </h2>
          {#if typeof found === 'string'}
            <Notice kind="failed">{found}</Notice>
          {:else if found && found.length === 0}
            <p class="text-quiet">{say('It has no tables yet.')}</p>
          {:else if found}
            <p class="text-sm text-quiet">{counted(found.length, '{0} table|{0} tables')}</p>
            <ul class="mt-1 grid grid-cols-3 gap-x-6 max-[760px]:grid-cols-1">
              {#each found as t (t.name)}
                <li class="border-b border-line">
                  <a
                    class="block px-1 py-1 no-underline hover:bg-tint"
                    href="/workroom/data/{encodeURIComponent(s.name)}/{encodeURIComponent(t.name)}"
                    onclick={follow}
                    >{t.name}{#if t.kind === 'view'}<span class="text-sm text-quiet">{' '}{say('view')}</span>{/if}</a
                  >
                </li>
              {/each}
            </ul>
          {/if}
        </section>
      {/each}
      <Connect taken={sources.map((s) => s.name)} connected={() => void load()} />
    {/if}
  </div>
{/if}
