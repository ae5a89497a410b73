<script lang="ts">
  import { counted, say } from '../lib/words';
  import type { Receipt } from '../lib/api';
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
  <h2 class="mt-4 text-lg font-[640]">{say('No records match')}</h2>
  <p>
    {say('{0} The run itself went well.', why?.says ?? say('There is nothing in the data that fits all of the above.'))}
    {#if why?.at && isDeveloper()}<a href={workroomAt(why.at)} onclick={follow}>{say("That condition's definition")}</a>{/if}
  </p>
  {#if nearest}
    <p>
      {say('The nearest that has some is')} <b class="font-[640]">{nearest.spelled}</b>{say(', with {0}.', counted(nearest.records, '{0} record|{0} records'))}
      {#if nearest.prompt && nearest.answer && answer}
        <button type="button" class="btn-plain" onclick={() => answer(nearest.prompt!, nearest.answer!)}>{say('Show {0}', nearest.answer)}</button>
      {/if}
    </p>
  {/if}
  {#if why?.without?.length || why?.pairs?.length}
    <ul class="mb-3 list-disc ps-5">
      {#each why.pairs ?? [] as pair, i (i)}<li>
          {say('No record meets both')} <b class="font-[640]">{pair.one}</b>
          {say('and')} <b class="font-[640]">{pair.other}</b>.
        </li>{/each}
      {#each why.without ?? [] as without, i (i)}<li>
          {say('Without')} <b class="font-[640]">{without.says}</b>
          {say('there would be {0}.', counted(without.records, '{0} record|{0} records'))}
        </li>{/each}
    </ul>
  {/if}
  {#if receipt.evidence}<Figures evidence={receipt.evidence} />{/if}
  {#if answer}<p class="text-quiet"><a href="/receipts/{receipt.id}" onclick={follow}>{say('Receipt {0}', receipt.id)}</a></p>{/if}
</div>
