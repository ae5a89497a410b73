<script lang="ts">
  import type { Receipt } from '../lib/api';
  import { counted, momentText, recordsOf, tookText } from '../lib/format';
  import { follow } from '../lib/route.svelte';
  import Figures from './Figures.svelte';

  // What shows that a result is right: one quiet line that opens.
  let { receipt }: { receipt: Receipt } = $props();

  const evidence = $derived(receipt.evidence);
  const ends = $derived(evidence?.ends);
  const near = $derived([ends?.nearest_before, ends?.nearest_after].filter((n) => n !== undefined));
</script>

<details>
  <summary>
    <span role="status" class="count"><b>{recordsOf(receipt)}</b></span>
    {#if ends?.first && ends.last}
      <span>first <b>{ends.first.spelled}</b> ({ends.first.records.toLocaleString('en')} that day)</span>
      <span>last <b>{ends.last.spelled}</b> ({ends.last.records.toLocaleString('en')} that day)</span>
    {/if}
    {#if near.length > 0}<span>nearest left out: {near.map((n) => n.spelled).join(', ')}</span>{/if}
    <span class="open">How this came about</span>
  </summary>
  {#if evidence}
    <Figures {evidence} />
  {/if}
  <p class="foot">
    <a href="/receipts/{receipt.id}" onclick={follow}>Receipt {receipt.id}</a>, {tookText(receipt.took_ms)}{#if evidence?.fingerprint}, fingerprint
      <code title={evidence.fingerprint}>{evidence.fingerprint.slice(0, 16)}…</code>{/if}{#if evidence?.complete_up_to}; the data reach to {evidence.complete_up_to
        .spelled}{/if}{#if evidence?.loaded}, last loaded {momentText(evidence.loaded.at)} by {evidence.loaded.by}, {counted(evidence.loaded.rows, 'row')}{/if}.
  </p>
</details>

<style>
  details {
    margin-bottom: 12px;
  }
  summary {
    display: flex;
    flex-wrap: wrap;
    gap: 2px 18px;
    font-size: 14px;
    color: var(--quiet);
    cursor: pointer;
    list-style: none;
  }
  summary::-webkit-details-marker {
    display: none;
  }
  summary b {
    color: var(--ink);
    font-weight: 640;
  }
  .open {
    margin-left: auto;
    color: var(--deep);
  }
  .open::after {
    content: ' ›';
  }
  details[open] .open::after {
    content: ' ⌄';
  }
  code {
    background: none;
    padding: 0;
    color: inherit;
  }
  .foot {
    font-size: 14px;
    color: var(--quiet);
    border-bottom: 1px solid var(--line);
    padding-bottom: 10px;
  }
</style>
