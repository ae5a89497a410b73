<script lang="ts">
  import type { Snippet } from 'svelte';

  // A table of records: its name for screen readers, its heads, its rows.
  // A head with sort can be pressed to sort by its column. Where not all its rows are drawn, count tells how many there are.
  type Head = { text: string; unit?: string; isNumber?: boolean; sort?: { order: 'ascending' | 'descending' | 'none'; press: () => void } };
  type Props = { caption: string; heads: Head[]; count?: number; rows: Snippet; foot?: Snippet; class?: string };
  let { caption, heads, count, rows, foot, class: more = '' }: Props = $props();
</script>

{#snippet name(head: Head)}{head.text}{#if head.unit}<span class="text-quiet">, {head.unit}</span>{/if}{/snippet}

<table aria-rowcount={count === undefined ? undefined : count + 1} class="table border-collapse text-[15px]/[1.42] {more}">
  <caption class="sr-only">{caption}</caption>
  <thead>
    <tr>
      {#each heads as head, i (i)}
        <th
          scope="col"
          aria-sort={head.sort?.order}
          class="border-b-[1.5px] border-edge px-2.5 py-1.5 text-sm font-[640] whitespace-nowrap {head.isNumber ? 'text-end' : 'text-start'}"
        >
          {#if head.sort}
            <button type="button" class="cursor-pointer font-[640] hover:underline" onclick={head.sort.press}
              >{@render name(head)}<span aria-hidden="true" class="print:hidden">{{ ascending: ' ↑', descending: ' ↓', none: '' }[head.sort.order]}</span
              ></button
            >
          {:else}{@render name(head)}{/if}
        </th>
      {/each}
    </tr>
  </thead>
  <tbody>{@render rows()}</tbody>
  {#if foot}<tfoot>{@render foot()}</tfoot>{/if}
</table>
