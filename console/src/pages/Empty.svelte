<script lang="ts">
  import type { Receipt } from '../lib/api';
  import { counted } from '../lib/format';
  import { isDeveloper, workroomAt } from '../lib/person.svelte';
  import { follow } from '../lib/route.svelte';
  import Figures from './Figures.svelte';

  // Why there are no records, and where the nearest are.
  type Props = { receipt: Receipt; answer?: (prompt: string, text: string) => void };
  let { receipt, answer }: Props = $props();

  const why = $derived(receipt.evidence?.empty);
  const nearest = $derived(why?.nearest);
</script>

<div class="space-y-2">
  <h2 class="mt-4 text-lg font-[640]">No records match</h2>
  <p>
    {why?.says ?? 'There is nothing in the data that fits all of the above.'} The run itself went well.
    {#if why?.at && isDeveloper()}<a href={workroomAt(why.at)} onclick={follow}>That condition's definition</a>{/if}
  </p>
  {#if nearest}
    <p>
      The nearest that has some is <b class="font-[640]">{nearest.spelled}</b>, with {counted(nearest.records, 'record')}.
      {#if nearest.prompt && nearest.answer && answer}
        <button type="button" class="btn-plain" onclick={() => answer(nearest.prompt!, nearest.answer!)}>Show {nearest.answer}</button>
      {/if}
    </p>
  {/if}
  {#if why?.without?.length || why?.pairs?.length}
    <ul class="mb-3 list-disc pl-5">
      {#each why.pairs ?? [] as pair, i (i)}<li>
          No record meets both <b class="font-[640]">{pair.one}</b> and <b class="font-[640]">{pair.other}</b>.
        </li>{/each}
      {#each why.without ?? [] as without, i (i)}<li>
          Without <b class="font-[640]">{without.says}</b> there would be {counted(without.records, 'record')}.
        </li>{/each}
    </ul>
  {/if}
  {#if receipt.evidence}<Figures evidence={receipt.evidence} />{/if}
  {#if answer}<p class="text-quiet"><a href="/receipts/{receipt.id}" onclick={follow}>Receipt {receipt.id}</a></p>{/if}
</div>
