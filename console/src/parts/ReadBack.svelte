<script lang="ts">
  import { say } from '../lib/words';
  import type { Receipt } from '../lib/api';
  import { isDeveloper, workroomAt } from '../lib/person.svelte';
  import { follow } from '../lib/route.svelte';

  // What ran, in a sentence, its values set off. A developer gets from a condition to its definition.
  let { pieces }: { pieces: NonNullable<Receipt['read_back_pieces']> } = $props();

  type Run = { at: string; pieces: typeof pieces };
  const runs = $derived.by(() => {
    const all: Run[] = [];
    for (const piece of pieces) {
      const last = all.at(-1);
      if (last && last.at === (piece.at ?? '')) last.pieces.push(piece);
      else all.push({ at: piece.at ?? '', pieces: [piece] });
    }
    return all;
  });
</script>

{#snippet words(run: Run)}{#each run.pieces as piece, i (i)}{#if piece.value}<b class="font-[660]">{piece.text}</b>{:else}{piece.text}{/if}{/each}{/snippet}

{#each runs as run, i (i)}{#if run.at && isDeveloper()}<a
      class="text-inherit decoration-edge decoration-dotted underline-offset-3 hover:bg-card hover:decoration-solid"
      href={workroomAt(run.at)}
      title={say('Its definition')}
      onclick={follow}>{@render words(run)}</a
    >{:else}{@render words(run)}{/if}{/each}
