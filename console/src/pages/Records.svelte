<script lang="ts">
  import { counted, numberText, say } from '../lib/words';
  import type { Shown } from '../lib/api';
  import { seen } from '../lib/seen';
  import Numbers from './Numbers.svelte';

  // The rows of a table, and those to come: they come as one scrolls to the end of those that are there.
  type Props = { section: Shown; label: string; more: () => void; whole?: boolean; sorted?: string[]; sort?: (by: string) => void };
  let { section, label, more, whole, sorted, sort }: Props = $props();

  // Of a summary there are as many rows as groups, else as many as records.
  const all = $derived(section.groups ?? section.records ?? section.rows.length);
  const so = $derived((n: number) => counted(n, section.groups === undefined ? '{0} record|{0} records' : '{0} row|{0} rows'));
  const left = $derived(all - section.rows.length);
</script>

<Numbers {section} {label} {whole} {sorted} {sort} />
{#each section.left_out ?? [] as figure (figure.figure)}
  <p class="px-2.5 pt-1.5 text-sm text-quiet">
    {say('Left out of {0}: {1} without a value.', figure.label, counted(figure.missing + (figure.unreadable ?? 0), '{0} record|{0} records'))}
  </p>
{/each}
{#if left > 0}
  <p class="hidden px-2.5 py-3 font-[640] print:block">
    {say('These are the first {0} of {1}; CSV and XLSX have them all.', numberText(section.rows.length), so(all))}
  </p>
  {#key section.rows.length}
    <p class="px-2.5 py-3 print:hidden" use:seen={more}>
      <button type="button" class="btn-plain" onclick={more}>{say('Show more')}</button>
      <span class="text-quiet">{say('{0} to come', so(left))}</span>
    </p>
  {/key}
{/if}
