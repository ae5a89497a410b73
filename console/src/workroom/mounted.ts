/**
 * Makes something of a module that is fetched when it is first needed, unless what wants it is gone by then. What
 * comes back takes it away again.
 */
export function mounted<M, T extends { destroy: () => void }>(module: Promise<M>, make: (module: M) => T): () => void {
  let gone = false;
  let made: T | undefined;
  void module.then((is) => {
    if (!gone) made = make(is);
  });
  return () => {
    gone = true;
    made?.destroy();
  };
}
