<script lang="ts">
  import { momentText } from '../lib/format';
  import { getRevision, listRevisions, type Revision } from './api';
  import type { DraftEditor } from './draft.svelte';

  // What a draft changes, in words, and the revisions that there were: any of them can be brought back as a draft.
  let { editor, drop }: { editor: DraftEditor; drop: () => void } = $props();

  let revisions = $state.raw<Revision[]>([]);
  $effect(() => {
    if (!editor.draft?.latest) return; // there is none yet
    listRevisions(editor.kind, editor.name).then(
      (all) => (revisions = all),
      () => (revisions = []),
    );
  });

  async function back(revision: number) {
    const is = await getRevision(editor.kind, editor.name, revision);
    editor.type(is.text);
    await editor.flush();
  }
  const changes = $derived(editor.draft?.changes ?? []);
</script>

<section class="rounded-container border border-line bg-card px-5 py-4">
  <h2 class="text-[15px] font-[660]">What this draft changes</h2>
  {#if changes.length === 0}
    <p class="text-quiet">
      {editor.isDraft && editor.draft?.base === 0
        ? 'It is new.'
        : editor.text !== '' && editor.isDraft
          ? 'No setting differs; comments or the way of writing may.'
          : 'There is no draft.'}
    </p>
  {:else}
    <ul class="mt-1 grid gap-1">
      {#each changes as c, i (i)}
        <li>
          <code class="bg-transparent p-0 font-semibold">{c.path}</code>{#if c.old === undefined}{' '}is new:
            <ins class="text-green no-underline">{c.new}</ins>{:else if c.new === undefined}{' '}is gone; it was
            <del class="text-brick">{c.old}</del>{:else}{' '}was <del class="text-brick">{c.old}</del>, is
            <ins class="text-green no-underline">{c.new}</ins>{/if}
        </li>
      {/each}
    </ul>
  {/if}
  {#if editor.isDraft}<p class="mt-3"><button type="button" class="btn-plain" onclick={drop}>Drop this draft</button></p>{/if}
</section>
{#if revisions.length > 0}
  <section class="rounded-container border border-line bg-card px-5 py-4">
    <h2 class="text-[15px] font-[660]">Revisions</h2>
    <ul class="mt-1 divide-y divide-line">
      {#each revisions as r (r.revision)}
        <li class="flex items-baseline gap-3 py-1.5">
          <b class="w-8 text-right font-[640]">{r.revision}</b><span class="flex-1"
            >{momentText(r.saved_at)} by {r.saved_by}{#if r.published}, <span class="text-deep">published</span>{/if}</span
          >
          <button type="button" class="btn-plain" onclick={() => void back(r.revision)}>Bring back as a draft</button>
        </li>
      {/each}
    </ul>
  </section>
{/if}
