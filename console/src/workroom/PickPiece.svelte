<script lang="ts">
  import type { ComponentProps, Snippet } from 'svelte';
  import Pick from './Pick.svelte';
  import Piece from './Piece.svelte';

  // A word of a sentence with a list to pick another from; what is picked closes it.
  type Props = Omit<ComponentProps<typeof Piece>, 'children'> &
    ComponentProps<typeof Pick> & {
      /** What stands above and below the list. */
      above?: Snippet<[close: () => void]>;
      below?: Snippet<[close: () => void]>;
    };
  let { label, options, chosen, pick, above, below, ...piece }: Props = $props();
</script>

<Piece {...piece}>
  {#snippet children(close)}
    {@render above?.(close)}
    <Pick
      {label}
      {options}
      {chosen}
      pick={(value) => {
        close();
        pick(value);
      }}
    />
    {@render below?.(close)}
  {/snippet}
</Piece>
