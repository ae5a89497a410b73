<script lang="ts">
  import { say } from '../lib/words';
  import DataTable from '../parts/DataTable.svelte';
  import type { DraftEditor } from './draft.svelte';

  // What others published since a draft was begun, part by part beside one's own.
  let { editor }: { editor: DraftEditor } = $props();

  const theirs = $derived(editor.draft?.theirs ?? []);
  let taken = $state<Record<string, boolean>>({});
  // What one has not touched oneself is taken unless one says otherwise.
  const takes = (part: string, conflict?: boolean) => taken[part] ?? !conflict;
</script>

<section class="border-s-4 border-amber bg-amber-tint px-3.5 py-2.5" aria-label={say('Changed by others')}>
  <p class="mb-2">
    {say(
      'A later revision was published since you began, with {0}. Choose which to take; what you do not take stays as you have it.',
      theirs.length === 1 ? say('a change') : say('{0} changes', theirs.length),
    )}
  </p>
  <DataTable
    caption={say('Changes of others')}
    heads={[{ text: say('Part') }, { text: say('It was') }, { text: say('They have') }, { text: say('You have') }, { text: say('Take theirs') }]}
  >
    {#snippet rows()}
      {#each theirs as t (t.part)}
        <tr class="[&>td]:border-b [&>td]:border-line [&>td]:px-2.5 [&>td]:py-1 [&>td]:align-top">
          <td
            ><code class="bg-transparent p-0">{t.path || say('the whole')}</code>{#if t.moved}<br /><span class="text-sm text-quiet"
                >{say('moved to {0}', t.moved)}</span
              >{/if}</td
          >
          {#each [t.was, t.theirs, t.mine] as text, i (i)}
            <td
              >{#if text === undefined}<span class="text-quiet">{say('nothing')}</span>{:else}<code class="bg-transparent p-0 whitespace-pre-wrap">{text}</code
                >{/if}</td
            >
          {/each}
          <td
            ><input
              type="checkbox"
              class="checkbox"
              aria-label={say('Take theirs for {0}', t.path)}
              checked={takes(t.part, t.conflict)}
              onchange={(e) => (taken[t.part] = e.currentTarget.checked)}
            />{#if t.conflict}<span class="text-sm text-brick">{' '}{say('both changed it')}</span>{/if}</td
          >
        </tr>
      {/each}
    {/snippet}
  </DataTable>
  <p class="mt-2">
    <button type="button" class="btn-plain" onclick={() => void editor.take(theirs.filter((t) => takes(t.part, t.conflict)).map((t) => t.part))}
      >{say('Go on from the latest revision')}</button
    >
  </p>
</section>
