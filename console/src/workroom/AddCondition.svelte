<script lang="ts">
  import type { Words } from './api';
  import { columnOptions } from './part';
  import PickPiece from './PickPiece.svelte';

  // Begins a condition with the column that is picked.
  let { words, add }: { words?: Words; add: (condition: Record<string, string>) => void } = $props();
</script>

<PickPiece
  text="+ condition"
  names="Add"
  look="add"
  label="A condition on which column?"
  options={columnOptions(words)}
  pick={(column) => add({ [column]: 'present' })}
/>
