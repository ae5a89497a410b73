<script lang="ts">
  import type { Receipt } from '../lib/api';
  import { counted } from '../lib/format';
  import { follow } from '../lib/route.svelte';
  import Figures from './Figures.svelte';

  // Why there are no records, and where the nearest are.
  type Props = { receipt: Receipt; answer?: (prompt: string, text: string) => void };
  let { receipt, answer }: Props = $props();

  const why = $derived(receipt.evidence?.empty);
  const nearest = $derived(why?.nearest);
</script>

<div class="none">
  <h2>No records match</h2>
  <p>{why?.says ?? 'There is nothing in the data that fits all of the above.'} The run itself went well.</p>
  {#if nearest}
    <p>
      The nearest that has some is <b>{nearest.spelled}</b>, with {counted(nearest.records, 'record')}.
      {#if nearest.prompt && nearest.answer && answer}
        <button type="button" class="plain" onclick={() => answer(nearest.prompt!, nearest.answer!)}>Show {nearest.answer}</button>
      {/if}
    </p>
  {/if}
  {#if why?.without?.length || why?.pairs?.length}
    <ul>
      {#each why.pairs ?? [] as pair, i (i)}<li>No record meets both <b>{pair.one}</b> and <b>{pair.other}</b>.</li>{/each}
      {#each why.without ?? [] as without, i (i)}<li>Without <b>{without.says}</b> there would be {counted(without.records, 'record')}.</li>{/each}
    </ul>
  {/if}
  {#if receipt.evidence}<Figures evidence={receipt.evidence} />{/if}
  {#if answer}<p class="quiet"><a href="/receipts/{receipt.id}" onclick={follow}>Receipt {receipt.id}</a></p>{/if}
</div>

<style>
  h2 {
    font-size: 18px;
    font-weight: 640;
    margin-top: 16px;
  }
  p {
    margin-bottom: 8px;
  }
  ul {
    list-style: disc;
    padding-left: 20px;
    margin-bottom: 12px;
  }
  b {
    font-weight: 640;
  }
</style>
