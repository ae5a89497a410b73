<script lang="ts">
  import { counted, numberText, say } from '../lib/words';
  import type { Receipt } from '../lib/api';
  import { momentText, recordsOf, tookText } from '../lib/format';
  import { follow } from '../lib/route.svelte';
  import Figures from './Figures.svelte';

  // What shows that a result is right: one quiet line that opens.
  let { receipt, countAll }: { receipt: Receipt; countAll?: () => void } = $props();

  const evidence = $derived(receipt.evidence);
  const ends = $derived(evidence?.ends);
  const near = $derived([ends?.nearest_before, ends?.nearest_after].filter((n) => n !== undefined));
</script>

<details class="group mb-3">
  <summary
    class="flex cursor-pointer list-none flex-wrap gap-x-4.5 gap-y-0.5 text-sm text-quiet [&_b]:font-[640] [&_b]:text-ink [&::-webkit-details-marker]:hidden"
  >
    <span role="status" class="count"><b>{recordsOf(receipt)}</b></span>
    {#if ends?.first && ends.last}
      <span>{say('first')} <b>{ends.first.spelled}</b> {say('({0} that day)', numberText(ends.first.records))}</span>
      <span>{say('last')} <b>{ends.last.spelled}</b> {say('({0} that day)', numberText(ends.last.records))}</span>
    {/if}
    {#if near.length > 0}<span>{say('nearest left out: {0}', near.map((n) => n.spelled).join(', '))}</span>{/if}
    <span class="ms-auto text-deep after:content-['_›'] group-open:after:content-['_⌄']">{say('How this came about')}</span>
  </summary>
  {#if evidence}
    <Figures {evidence} {countAll} />
  {/if}
  <p class="border-b border-line pb-2.5 text-sm text-quiet">
    <a href="/receipts/{receipt.id}" onclick={follow}>{say('Receipt {0}', receipt.id)}</a>, {tookText(receipt.took_ms)}{#if evidence?.fingerprint}{say(
        ', fingerprint',
      )}
      <code class="bg-transparent p-0 text-inherit" title={evidence.fingerprint}>{evidence.fingerprint.slice(0, 16)}…</code
      >{/if}{#if evidence?.complete_up_to}{say('; the data reach to {0}', evidence.complete_up_to.spelled)}{/if}{#if evidence?.loaded}{say(
        ', last loaded {0} by {1}, {2}',
        momentText(evidence.loaded.at),
        evidence.loaded.by,
        counted(evidence.loaded.rows, '{0} row|{0} rows'),
      )}{/if}.
  </p>
</details>
