<script lang="ts">
  import { listColumns, listSources } from './api';
  import { mounted } from './mounted';
  import type { SqlEditor } from './sql';

  // Custom SQL, with completion of the tables and columns of its source and of questions.
  type Props = { text: string; source: string; prompts: string[]; refused: boolean; change: (text: string) => void };
  let { text, source, prompts, refused, change }: Props = $props();

  let box: HTMLDivElement;
  let sql = $state.raw<SqlEditor>();

  $effect(() => mounted(import('./sql'), (m) => (sql = m.sqlEditor(box, text, change))));

  $effect(() => sql?.show(text));
  $effect(() => {
    if (!sql || !source) return;
    const [editor, asked] = [sql, prompts];
    Promise.all([listSources(), listColumns(source)]).then(
      ([sources, tables]) => editor.know(sources.find((s) => s.name === source)?.engine ?? 'sqlite', tables, asked),
      () => {}, // without them there is no completion; a trial says what is wrong with the source
    );
  });
</script>

<div
  bind:this={box}
  class="min-h-[120px] overflow-hidden rounded-base border bg-field {refused ? 'border-brick' : 'border-line'}"
  data-refused={refused || undefined}
></div>
