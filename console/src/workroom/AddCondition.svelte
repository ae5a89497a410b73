<script lang="ts">
  import { say } from '../lib/words';
  import type { Words } from './api';
  import { columnOptions } from './part';
  import PickPiece from './PickPiece.svelte';

  // Begins a condition with the column that is picked.
  let { words, add }: { words?: Words; add: (condition: Record<string, string>) => void } = $props();
</script>

<PickPiece
  text={say('+ condition')}
  names={say('Add')}
  look="add"
  label={say('A condition on which column?')}
  options={columnOptions(words)}
  pick={(column) => add({ [column]: 'present' })}
/>
