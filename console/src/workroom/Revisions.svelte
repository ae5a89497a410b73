<script lang="ts">
  import { say } from '../lib/words';
  import { messageOf } from '../lib/api';
  import { momentText } from '../lib/format';
  import Notice from '../parts/Notice.svelte';
  import { getRevision, listDifference, listRevisions, type Revision, type Setting as Change } from './api';
  import type { DraftEditor } from './draft.svelte';
  import Setting from './Setting.svelte';
  import TextDifference from './TextDifference.svelte';

  // What a draft changes, in words and as texts, and the revisions that there were: what each would change for readers,
  // and any of them can be brought back as a draft.
  let { editor, drop }: { editor: DraftEditor; drop: () => void } = $props();

  let revisions = $state.raw<Revision[]>([]);
  let failed = $state('');
  $effect(() => {
    if (!editor.draft?.latest) return; // there is none yet
    listRevisions(editor.kind, editor.name).then(
      (all) => (revisions = all),
      (cause: unknown) => (failed = messageOf(cause)),
    );
  });

  // What the draft started from.
  let start = $state<{ revision: number; text: string }>();
  $effect(() => {
    const base = editor.draft?.base;
    if (!base || !editor.isDraft || start?.revision === base) return;
    getRevision(editor.kind, editor.name, base).then(
      (is) => (start = { revision: base, text: is.text }),
      (cause: unknown) => (failed = messageOf(cause)),
    );
  });

  const published = $derived(revisions.find((r) => r.published)?.revision);
  let looked = $state.raw<{ revision: number; text: string; now: string; changes: Change[] }>();

  /** Shows what readers would have with a revision in the place of the one that they see. */
  async function look(revision: number) {
    if (looked?.revision === revision || published === undefined) {
      looked = undefined;
      return;
    }
    failed = '';
    try {
      const [is, now, changes] = await Promise.all([
        getRevision(editor.kind, editor.name, revision),
        getRevision(editor.kind, editor.name, published),
        listDifference(editor.kind, editor.name, published, revision),
      ]);
      looked = { revision, text: is.text, now: now.text, changes };
    } catch (cause) {
      failed = messageOf(cause);
    }
  }

  async function back(revision: number) {
    try {
      const is = await getRevision(editor.kind, editor.name, revision);
      editor.type(is.text);
      await editor.flush();
    } catch (cause) {
      failed = messageOf(cause);
    }
  }
  const changes = $derived(editor.draft?.changes ?? []);
</script>

<section class="rounded-container border border-line bg-card px-5 py-4" aria-label={say('What this draft changes')}>
  <h2 class="text-[15px] font-[660]">{say('What this draft changes')}</h2>
  {#if changes.length === 0}
    <p class="text-quiet">
      {editor.isDraft && editor.draft?.base === 0
        ? say('It is new.')
        : editor.text !== '' && editor.isDraft
          ? say('No setting differs; comments or the way of writing may.')
          : say('There is no draft.')}
    </p>
  {:else}
    <ul class="mt-1 grid gap-1">
      {#each changes as c, i (i)}<li><Setting change={c} /></li>{/each}
    </ul>
  {/if}
  {#if start && editor.isDraft && start.text !== editor.text}
    <TextDifference old={{ text: start.text, name: say('Revision {0}', start.revision) }} now={{ text: editor.text, name: say('This draft') }} />
  {/if}
  {#if editor.isDraft}<p class="mt-3"><button type="button" class="btn-plain" onclick={drop}>{say('Drop this draft')}</button></p>{/if}
</section>
{#if failed}<Notice kind="failed">{failed}</Notice>{/if}
{#if revisions.length > 0}
  <section class="rounded-container border border-line bg-card px-5 py-4" aria-label={say('Revisions')}>
    <h2 class="text-[15px] font-[660]">{say('Revisions')}</h2>
    <ul class="mt-1 divide-y divide-line">
      {#each revisions as r (r.revision)}
        <li class="py-1.5">
          <div class="flex flex-wrap items-baseline gap-3">
            <b class="w-8 text-end font-[640]">{r.revision}</b><span class="flex-1"
              >{say('{0} by {1}', momentText(r.saved_at), r.saved_by)}{#if r.published}, <span class="text-deep">{say('published')}</span>{/if}</span
            >
            {#if published !== undefined && !r.published}
              <button type="button" class="btn-plain" aria-expanded={looked?.revision === r.revision} onclick={() => void look(r.revision)}
                >{say('What it would change')}</button
              >
            {/if}
            <button type="button" class="btn-plain" onclick={() => void back(r.revision)}>{say('Bring back as a draft')}</button>
          </div>
          {#if looked?.revision === r.revision}
            <div class="ms-11 mt-2">
              <ul class="grid gap-1 text-sm">
                {#each looked.changes as c, i (i)}<li><Setting change={c} /></li>{:else}<li class="text-quiet">{say('No setting differs.')}</li>{/each}
              </ul>
              <TextDifference
                old={{ text: looked.now, name: say('Revision {0}, which readers see', published) }}
                now={{ text: looked.text, name: say('Revision {0}', r.revision) }}
              />
            </div>
          {/if}
        </li>
      {/each}
    </ul>
  </section>
{/if}
