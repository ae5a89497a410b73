<script lang="ts">
  import type { Snippet } from 'svelte';

  // The title of a page, a quiet line about it, and what one can do there.
  let { title, about, tools }: { title: string; about?: Snippet; tools?: Snippet } = $props();
</script>

<div class="flex flex-wrap items-end justify-between gap-x-4 gap-y-2">
  <div class="min-w-0">
    <h1 class="text-[25px]/[1.15] font-[680]">{title}</h1>
    {#if about}<p class="text-sm text-quiet">{@render about()}</p>{/if}
  </div>
  {#if tools}<div class="flex max-w-full flex-wrap items-center gap-2">{@render tools()}</div>{/if}
</div>
