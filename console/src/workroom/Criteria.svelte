<script lang="ts">
  import type { Words } from './api';
  import type { DraftEditor } from './draft.svelte';
  import Group from './Group.svelte';
  import { addCondition, criteria, find } from './part';
  import Pick from './Pick.svelte';
  import Piece from './Piece.svelte';

  // Criteria of a definition that may have none yet.
  type Props = {
    editor: DraftEditor;
    words?: Words;
    path: string;
    asOf: string;
    reload: () => void;
    counts?: Record<string, number>;
    before?: string;
    lead?: string;
  };
  let { editor, words, path, asOf, reload, counts, before = '', lead = '' }: Props = $props();

  const node = $derived(criteria(find(editor.draft?.form, path), path));
</script>

{#if node}<Group {editor} {words} {node} {asOf} {reload} {counts} {lead} />{/if}
{#if node?.is !== 'group'}
  <Piece text="+ condition" names="Add" look="add">
    {#snippet children(close)}
      <Pick
        label="A condition on which column?"
        options={(words?.columns ?? []).map((c) => ({ value: c.name, text: c.label, note: `${c.name}, ${c.type}` }))}
        pick={(column) => {
          close();
          void editor.edit(addCondition(editor.draft?.form, path, { [column]: 'present' }, before));
        }}
      />
    {/snippet}
  </Piece>
{/if}
