const margin = 8;

/** Moves what has opened sideways until it lies within its part of the page, which would cut it off. */
function intoSight(node: HTMLDetailsElement) {
  const over = node.querySelector<HTMLElement>('.popup');
  if (!node.open || !over) return;
  over.style.translate = '0';
  const box = over.getBoundingClientRect();
  const part = (node.closest('main section, main form') ?? document.documentElement).getBoundingClientRect();
  const start = Math.max(part.left, 0) + margin;
  const end = Math.min(part.right, innerWidth) - margin;
  if (box.left < start) over.style.translate = `${start - box.left}px`;
  else if (box.right > end) over.style.translate = `${Math.max(end - box.right, start - box.left)}px`;
}

/** A Svelte action for a details element that opens over the page: Escape and a press elsewhere close it. */
export function popup(node: HTMLDetailsElement) {
  const moved = () => intoSight(node);
  const close = (event: Event) => {
    if (!node.open || (event instanceof KeyboardEvent ? event.key !== 'Escape' : node.contains(event.target as Node))) return;
    node.open = false;
    if (event instanceof KeyboardEvent) node.querySelector('summary')?.focus();
  };
  document.addEventListener('pointerdown', close);
  node.addEventListener('toggle', moved);
  node.addEventListener('keydown', close);
  return {
    destroy: () => {
      document.removeEventListener('pointerdown', close);
      node.removeEventListener('toggle', moved);
      node.removeEventListener('keydown', close);
    },
  };
}
