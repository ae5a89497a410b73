<script lang="ts">
  import { say } from '../lib/words';
  import type { DraftEditor } from './draft.svelte';
  import { go } from '../lib/route.svelte';
  import { messageOf } from '../lib/api';
  import { saveDraft, type Finding } from './api';

  // What was found at a part of a draft, each with what would mend it at one press.
  let { editor, findings }: { editor: DraftEditor; findings: Finding[] } = $props();

  /** Begins a question that custom SQL wants and that there is not. */
  async function begin(name: string, text: string) {
    try {
      await saveDraft('prompt', name, 0, text);
      go(`/workroom/prompt/${encodeURIComponent(name)}`);
    } catch (cause) {
      editor.note = messageOf(cause);
    }
  }

  /** The question that a finding proposes, where it proposes one. */
  function questionIn(text: string): { name: string; text: string } | undefined {
    const m = /^\{(pikegate: 1, prompt: (\S+), .*)\}$/.exec(text);
    return m ? { name: m[2]!, text: `${m[1]!.split(/, (?=\w+: )/).join('\n')}\n` } : undefined;
  }

  const isOne = (text: string) => !text.includes('\n') && text.length <= 60;
</script>

{#each findings as f, i (i)}
  <div
    class="my-1 flex flex-wrap items-center gap-x-3 gap-y-1.5 border-s-3 px-3 py-1.5 text-[14.5px]/[1.35] {f.warning
      ? 'border-amber bg-amber-tint'
      : 'border-brick bg-brick-tint'}"
  >
    <span class="min-w-0 flex-1 basis-60">{f.message.charAt(0).toUpperCase() + f.message.slice(1)}.</span>
    {#each f.suggestions ?? [] as text, n (n)}
      {@const proposed = questionIn(text)}
      {#if proposed}
        <button type="button" class="btn-plain py-0.5" onclick={() => void begin(proposed.name, proposed.text)}
          >{say('Make the question {0}', proposed.name)}</button
        >
      {:else}
        <button
          type="button"
          class="btn-plain max-w-full py-0.5 whitespace-pre-wrap"
          onclick={() => void editor.edit([{ op: 'mend', path: f.path, key: f.key, text }])}
          >{#if isOne(text)}{say('Write')} <code class="bg-transparent p-0">{text}</code>{:else}<code class="bg-transparent p-0 text-start">{text}</code
            >{/if}</button
        >
      {/if}
    {/each}
  </div>
{/each}
