<script lang="ts">
  import type { Snippet } from 'svelte';

  // A control with its name in front of it, as in a line of filters.
  let { name, children }: { name: string; children: Snippet } = $props();
</script>

<label class="flex items-center gap-1.5 text-sm text-quiet">{name} {@render children()}</label>
