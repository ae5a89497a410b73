// Two changes of one text.

type Change = { from: number; to: number; text: string };

/** What changes a text into another: all between what both start and end with. */
function changeOf(was: string, is: string): Change {
  let from = 0;
  while (from < Math.min(was.length, is.length) && was[from] === is[from]) from++;
  let end = 0;
  while (end < Math.min(was.length, is.length) - from && was.at(-1 - end) === is.at(-1 - end)) end++;
  return { from, to: was.length - end, text: is.slice(from, is.length - end) };
}

/** A text with what changed in each of two others that were made of it; undefined where both changed the same place. */
export function merged(was: string, mine: string, theirs: string): string | undefined {
  const [a, b] = [changeOf(was, mine), changeOf(was, theirs)];
  const [first, last] = a.from <= b.from ? [a, b] : [b, a];
  if (mine === was) return theirs;
  if (theirs === was || theirs === mine) return mine;
  if (first.to > last.from || first.from === last.from) return undefined;
  return was.slice(0, first.from) + first.text + was.slice(first.to, last.from) + last.text + was.slice(last.to);
}
