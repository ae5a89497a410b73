/** A Svelte action: does something whenever an element is about to come into sight. */
export function seen(node: HTMLElement, act: () => void) {
  const observer = new IntersectionObserver((all) => all.some((one) => one.isIntersecting) && act(), { rootMargin: '400px' });
  observer.observe(node);
  return { destroy: () => observer.disconnect() };
}
