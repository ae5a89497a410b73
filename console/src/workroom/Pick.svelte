<script lang="ts">
  import { say } from '../lib/words';
  // A list to pick one thing from: typing narrows it, arrows go through it, Enter picks.
  type Option = { value: string; text: string; note?: string; look?: 'prompt' };
  type Props = { label: string; options: Option[]; chosen?: string; pick: (value: string) => void };
  let { label, options, chosen = '', pick }: Props = $props();

  const id = $props.id();
  let search = $state('');
  let at = $state(0);
  const words = $derived(search.toLowerCase().split(/\s+/).filter(Boolean));
  /** What begins with the search stands first, then what holds it, then what only its note holds. */
  const rank = (o: Option) => {
    const text = o.text.toLowerCase();
    const wanted = search.trim().toLowerCase();
    return text.startsWith(wanted) || o.value.toLowerCase().startsWith(wanted) ? 0 : words.every((w) => text.includes(w)) ? 1 : 2;
  };
  const found = $derived(
    options
      .filter((o) => {
        const text = `${o.text} ${o.value} ${o.note ?? ''}`.toLowerCase();
        return words.every((w) => text.includes(w));
      })
      .sort((a, b) => (words.length > 0 ? rank(a) - rank(b) : 0)),
  );

  function key(event: KeyboardEvent) {
    if (event.key === 'ArrowDown') at = Math.min(at + 1, found.length - 1);
    else if (event.key === 'ArrowUp') at = Math.max(at - 1, 0);
    else if (event.key === 'Enter') {
      const picked = found[at];
      if (picked) pick(picked.value);
    } else return;
    event.preventDefault();
    document.getElementById(`${id}-${at}`)?.scrollIntoView({ block: 'nearest' });
  }
</script>

<input
  class="input mb-1.5 bg-field text-sm"
  type="text"
  role="combobox"
  aria-label={label}
  aria-expanded="true"
  aria-controls="{id}-list"
  aria-activedescendant={found[at] ? `${id}-${at}` : undefined}
  autocomplete="off"
  placeholder={label}
  value={search}
  oninput={(e) => {
    search = e.currentTarget.value;
    at = 0;
  }}
  onkeydown={key}
/>
<ul id="{id}-list" role="listbox" aria-label={label} class="max-h-[300px] overflow-y-auto">
  {#each found as option, i (i)}
    <!-- the keys are those of the field -->
    <!-- svelte-ignore a11y_click_events_have_key_events -->
    <li
      id="{id}-{i}"
      role="option"
      aria-selected={option.value === chosen}
      class="cursor-pointer px-2 py-1 {i === at ? 'bg-tint' : ''} {option.look === 'prompt' ? 'text-amber' : ''}"
      class:font-semibold={option.value === chosen}
      onclick={() => pick(option.value)}
      onpointermove={() => (at = i)}
    >
      {option.text}{#if option.note}<span class="text-[13.5px] text-quiet">{' '}{option.note}</span>{/if}
    </li>
  {/each}
</ul>
{#if found.length === 0}<p class="px-2 py-1 text-sm text-quiet" role="status">{say('Nothing holds these words.')}</p>{/if}
