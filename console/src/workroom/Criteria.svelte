<script lang="ts">
  import AddCondition from './AddCondition.svelte';
  import type { Words } from './api';
  import type { DraftEditor } from './draft.svelte';
  import Group from './Group.svelte';
  import { addCondition, criteria, find } from './part';

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
  <AddCondition {words} add={(condition) => void editor.edit(addCondition(editor.draft?.form, path, condition, before))} />
{/if}
