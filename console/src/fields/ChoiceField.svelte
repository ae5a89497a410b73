<script lang="ts">
  import { say } from '../lib/words';
  import type { Answers, Choice, PromptInfo, Understood } from '../lib/api';
  import { listChoices, messageOf } from '../lib/api';
  import Option from './Option.svelte';

  // Choices that come from the data: the list follows the other answers. What is
  // chosen stays, and the service says where it is no longer possible.
  type Props = {
    report: string;
    prompt: PromptInfo;
    answers: Answers;
    values: string[];
    understood?: Understood;
    toggle: (value: string, on: boolean) => void;
  };
  let { report, prompt, answers, values, understood, toggle }: Props = $props();

  const id = $props.id();
  let search = $state('');
  let list = $state.raw<Choice[]>([]);
  let more = $state(false);
  let isLong = $state(false);
  let failed = $state('');
  let labels = $state<Record<string, string>>({});

  let further: AbortController | undefined; // the request for more choices that is under way

  const others = $derived(JSON.stringify({ ...answers, [prompt.name]: undefined }));
  const chosen = $derived(values.filter((value) => !list.some((choice) => choice.value === value)));

  $effect(() => {
    const asked = { ...(JSON.parse(others) as Answers) };
    const wanted = search.trim();
    const stop = new AbortController();
    further?.abort(); // which would add to another list
    const timer = setTimeout(() => void load(asked, wanted, 0, stop.signal), 150);
    return () => {
      clearTimeout(timer);
      stop.abort();
    };
  });

  $effect(() => {
    for (const choice of understood?.choices ?? []) labels[choice.value] = choice.label;
  });

  function loadMore() {
    further?.abort();
    further = new AbortController();
    void load(answers, search.trim(), list.length, further.signal);
  }

  async function load(asked: Answers, wanted: string, skip: number, signal?: AbortSignal) {
    try {
      const page = await listChoices(report, prompt.name, asked, wanted, skip, signal);
      if (signal?.aborted) return;
      list = skip > 0 ? [...list, ...page.choices] : page.choices;
      more = page.more;
      isLong ||= page.more || list.length > 12;
      failed = '';
    } catch (cause) {
      if (!signal?.aborted) failed = messageOf(cause);
    }
  }
</script>

{#snippet option(value: string, label: string, count?: number)}
  <Option name="{id}-choice" many={prompt.many} checked={values.includes(value)} change={(on) => toggle(value, on)} {label} {count} />
{/snippet}

{#if isLong}
  <input
    class="input mb-1.5 bg-field text-sm placeholder:text-quiet"
    type="search"
    autocomplete="off"
    placeholder={say('Find one')}
    aria-label={say('Find among the choices: {0}', prompt.ask)}
    bind:value={search}
  />
{/if}
<div class="grid max-h-60 gap-[3px] overflow-y-auto">
  {#each chosen as value (value)}{@render option(value, labels[value] ?? value)}{/each}
  {#each list as choice (choice.value)}{@render option(choice.value, choice.label, choice.count)}{/each}
  {#if list.length === 0 && !failed}<p class="text-[13.5px] text-quiet">{search ? say('Nothing like it.') : say('The other answers leave no choice.')}</p>{/if}
  {#if more}<button type="button" class="cursor-pointer justify-self-start text-[13.5px] text-deep underline" onclick={loadMore}
      >{say('Show more choices')}</button
    >{/if}
</div>
{#if failed}<p class="text-[13.5px] text-quiet" role="alert">{failed}</p>{/if}
