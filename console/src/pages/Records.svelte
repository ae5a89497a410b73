<script lang="ts">
  import type { Shown } from '../lib/api';
  import { counted } from '../lib/format';
  import { seen } from '../lib/seen';
  import Numbers from './Numbers.svelte';

  // The rows of a table, and those to come: they come as one scrolls to the end of those that are there.
  type Props = { section: Shown; label: string; more: () => void; whole?: boolean; sorted?: string[]; sort?: (by: string) => void };
  let { section, label, more, whole, sorted, sort }: Props = $props();

  // Of a summary there are as many rows as groups, else as many as records.
  const all = $derived(section.groups ?? section.records ?? section.rows.length);
  const what = $derived(section.groups === undefined ? 'record' : 'row');
  const left = $derived(all - section.rows.length);
</script>

<Numbers {section} {label} {whole} {sorted} {sort} />
{#each section.left_out ?? [] as figure (figure.figure)}
  <p class="px-2.5 pt-1.5 text-sm text-quiet">Left out of {figure.label}: {counted(figure.missing + (figure.unreadable ?? 0), 'record')} without a value.</p>
{/each}
{#if left > 0}
  <p class="hidden px-2.5 py-3 font-[640] print:block">
    These are the first {section.rows.length.toLocaleString('en')} of {counted(all, what)}; CSV and XLSX have them all.
  </p>
  {#key section.rows.length}
    <p class="px-2.5 py-3 print:hidden" use:seen={more}>
      <button type="button" class="btn-plain" onclick={more}>Show more</button>
      <span class="text-quiet">{counted(left, what)} to come</span>
    </p>
  {/key}
{/if}
