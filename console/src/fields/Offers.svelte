<script lang="ts">
  import type { Offer } from '../lib/api';

  // Periods to answer with at a click, each with the days that it means today.
  let { offers, chosen, pick }: { offers: Offer[]; chosen: string; pick: (phrase: string) => void } = $props();
</script>

<div class="mt-2 grid gap-1">
  {#each offers as offer (offer.phrase)}
    {@const on = offer.phrase === chosen}
    <button
      type="button"
      class="flex cursor-pointer justify-between gap-3 rounded-[3px] border px-2 py-0.5 text-start text-[13.5px] disabled:cursor-not-allowed disabled:opacity-50 {on
        ? 'border-deep bg-tint font-semibold text-deep'
        : 'border-line bg-paper'}"
      disabled={!!offer.refused}
      title={offer.refused}
      onclick={() => pick(offer.phrase)}
    >
      {offer.phrase} <span dir="auto" class="font-normal text-quiet">{offer.days}</span>
    </button>
  {/each}
</div>
