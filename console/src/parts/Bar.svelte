<script lang="ts">
  // A share of a whole, drawn beside its number.
  let { share, kept }: { share: number; kept: boolean } = $props();
</script>

<span class="mt-[5px] block h-[9px] {kept ? 'bg-deep' : 'bg-faint'}" style:width="{100 * share}%"></span>
