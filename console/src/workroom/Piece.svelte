<script lang="ts">
  import { flushSync, type Snippet } from 'svelte';

  // A word of a sentence that opens its own small editor.
  type Props = {
    text: string;
    /** What a screen reader says before the word: what it is. */
    names: string;
    look?: 'data' | 'prompt' | 'quiet' | 'add' | 'wrong';
    /** Marks the piece, so that it can be found and opened from elsewhere. */
    path?: string;
    /** What stands right behind it, such as a comma. */
    after?: string;
    children: Snippet<[close: () => void]>;
  };
  let { text, names, look = 'data', path, after = '', children }: Props = $props();

  const id = $props.id();
  let open = $state(false);
  let button: HTMLButtonElement;
  let box: HTMLDivElement;

  const looks = {
    data: 'border-b-2 border-mark font-semibold text-deep',
    prompt: 'border-b-2 border-amber font-semibold text-amber',
    wrong: 'border-b-2 border-dotted border-brick font-semibold text-brick',
    quiet: 'text-quiet border-b border-dotted border-edge',
    add: 'text-[14.5px] text-deep',
  };

  /** Makes the editor before it is shown, so that the first key goes into its first field. */
  function toggling(event: ToggleEvent) {
    open = event.newState === 'open';
    if (!open) return;
    flushSync();
    box.querySelector('input, select, textarea, button')?.setAttribute('autofocus', '');
  }

  function toggled(event: ToggleEvent) {
    if (event.newState !== 'open') return;
    const at = button.getBoundingClientRect();
    const room = box.getBoundingClientRect();
    box.style.left = `${Math.max(8, Math.min(at.left, innerWidth - room.width - 8))}px`;
    const below = at.bottom + 4;
    const fitsBelow = below + room.height < innerHeight || at.top < room.height;
    box.style.top = `${fitsBelow ? Math.min(below, Math.max(8, innerHeight - room.height - 8)) : at.top - room.height - 4}px`;
  }
</script>

<button
  type="button"
  class="cursor-pointer px-px text-start leading-[1.5] [unicode-bidi:isolate] hover:bg-tint {looks[look]}"
  bind:this={button}
  popovertarget={id}
  data-path={path}
  aria-label="{names}: {text}">{text}</button
>{after}
<div
  {id}
  popover="auto"
  bind:this={box}
  onbeforetoggle={toggling}
  ontoggle={toggled}
  class="m-0 max-h-[min(480px,90vh)] w-max max-w-[min(460px,calc(100vw-16px))] min-w-[220px] overflow-y-auto rounded-container border border-line bg-card p-3 text-[15px]/[1.42] text-ink shadow-lg"
>
  {#if open}{@render children(() => box.hidePopover())}{/if}
</div>
