// Where in the console one is: the path and the query of the address.
let url = $state(new URL(location.href));

addEventListener('popstate', () => (url = new URL(location.href)));

export function currentUrl(): URL {
  return url;
}

export function go(to: string): void {
  history.pushState(null, '', to);
  url = new URL(location.href);
  scrollTo(0, 0);
}

/** Changes the address in place, so that "back" does not step through it. */
export function rewrite(to: string): void {
  history.replaceState(null, '', to);
  url = new URL(location.href);
}

/** Follows a link within the console; leaves clicks with a modifier alone. */
export function follow(event: MouseEvent): void {
  const link = (event.currentTarget as HTMLElement).closest('a');
  if (!link || event.button !== 0 || event.metaKey || event.ctrlKey || event.shiftKey || event.altKey) return;
  event.preventDefault();
  go(link.href);
}

/** A part of the path in plain letters; as it stands where its escapes are broken. */
export function decodedPart(part: string): string {
  try {
    return decodeURIComponent(part);
  } catch {
    return part;
  }
}
