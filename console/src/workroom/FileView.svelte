<script lang="ts">
  import type { Schema, Words } from './api';
  import type { DraftEditor } from './draft.svelte';
  import type { FileEditor } from './file';
  import { mounted } from './mounted';

  // The definition as it is written.
  type Props = { editor: DraftEditor; schema: Schema; names: Record<string, string[]>; words?: Words };
  let { editor, schema, names, words }: Props = $props();

  let box: HTMLDivElement;
  let file = $state.raw<FileEditor>();

  $effect(() => mounted(import('./file'), (m) => (file = m.fileEditor(box, editor, schema))));

  $effect(() => file?.show(editor.text));
  $effect(() => file?.mark(editor.draft?.findings ?? [], editor.typed === undefined));
  $effect(() => file?.know({ names, words, form: editor.draft?.form }));
</script>

<div bind:this={box} class="min-h-[300px] overflow-hidden rounded-container border border-line bg-card"></div>
