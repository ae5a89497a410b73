/** A Svelte action for a details element that opens over the page: Escape and a press elsewhere close it. */
export function popup(node: HTMLDetailsElement) {
  const close = (event: Event) => {
    if (!node.open || (event instanceof KeyboardEvent ? event.key !== 'Escape' : node.contains(event.target as Node))) return;
    node.open = false;
    if (event instanceof KeyboardEvent) node.querySelector('summary')?.focus();
  };
  document.addEventListener('pointerdown', close);
  node.addEventListener('keydown', close);
  return {
    destroy: () => {
      document.removeEventListener('pointerdown', close);
      node.removeEventListener('keydown', close);
    },
  };
}
