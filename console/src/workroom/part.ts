// What a definition says, part by part, as conditions and the other pieces of a sentence.
import type { Edit, Entry, Finding, Part, Words } from './api';

/** A JSON pointer (RFC 6901) to a part. */
export function pointer(...parts: (string | number)[]): string {
  return parts.map((p) => `/${String(p).replaceAll('~', '~0').replaceAll('/', '~1')}`).join('');
}

/** The parts of a JSON pointer. */
export function partsOf(path: string): string[] {
  return path === ''
    ? []
    : path
        .slice(1)
        .split('/')
        .map((p) => p.replaceAll('~1', '/').replaceAll('~0', '~'));
}

const parts = (of: Part | undefined): Entry[] => of?.parts ?? [];

export function entry(of: Part | undefined, key: string): Part | undefined {
  return parts(of).find((e) => e.key === key)?.part;
}

export function find(of: Part | undefined, path: string): Part | undefined {
  let at = of;
  for (const key of partsOf(path)) at = at?.kind === 'list' ? parts(at)[Number(key)]?.part : entry(at, key);
  return at;
}

export const textOf = (of: Part | undefined): string => (of?.kind === 'scalar' ? (of.text ?? '') : '');
export const items = (of: Part | undefined): Part[] => (of?.kind === 'list' ? parts(of).map((e) => e.part) : []);
export const entries = (of: Part | undefined): { key: string; part: Part }[] =>
  of?.kind === 'mapping' ? parts(of).map((e) => ({ key: e.key ?? '', part: e.part })) : [];

/** The value of a part, as it would be sent to set another one to it. */
export function valueOf(part: Part | undefined): unknown {
  switch (part?.kind) {
    case 'mapping':
      return Object.fromEntries(entries(part).map((e) => [e.key, valueOf(e.part)]));
    case 'list':
      return items(part).map(valueOf);
    case 'scalar':
      return part.bare ? bareValue(part.text ?? '') : (part.text ?? '');
  }
  return null;
}

function bareValue(text: string): unknown {
  if (text === 'true' || text === 'false') return text === 'true';
  return String(Number(text)) === text ? Number(text) : text;
}

/** A text as a number where it is one, so that it is written without quotes. */
export function scalarOf(text: string, isNumber: boolean): string | number {
  return isNumber && text.trim() !== '' && String(Number(text)) === text.trim() ? Number(text) : text;
}

export const groups = ['all', 'any', 'none'] as const;
export type Logic = (typeof groups)[number];

/** A node of criteria, with where it stands. */
export type Node = { path: string } & (
  | { is: 'group'; logic: Logic; nodes: Node[] }
  | { is: 'filter'; name: string }
  | { is: 'condition'; column: string; op: string; operand?: Part; operandPath: string; ignoresCase: boolean }
  | { is: 'other'; text: string }
);

/** Reads criteria; what is none of what is known is shown as it is written. */
export function criteria(part: Part | undefined, path: string): Node | undefined {
  if (!part || part.kind === 'nothing') return undefined;
  const only = entries(part);
  const first = only[0];
  if (only.length !== 1 || !first) return { path, is: 'other', text: JSON.stringify(valueOf(part)) };
  const at = path + pointer(first.key);
  if (groups.includes(first.key as Logic) && first.part.kind === 'list')
    return {
      path,
      is: 'group',
      logic: first.key as Logic,
      nodes: items(first.part).map((item, i) => criteria(item, at + pointer(i)) ?? { path: at + pointer(i), is: 'other', text: '' }),
    };
  if (first.key === 'filter' && first.part.kind === 'scalar') return { path, is: 'filter', name: textOf(first.part) };
  if (first.part.kind === 'scalar') return { path, is: 'condition', column: first.key, op: textOf(first.part), operandPath: at, ignoresCase: false };
  const ops = entries(first.part).filter((e) => e.key !== 'ignore_case');
  if (ops.length !== 1) return { path, is: 'other', text: JSON.stringify(valueOf(part)) };
  const op = ops[0]!;
  return {
    path,
    is: 'condition',
    column: first.key,
    op: op.key,
    operand: op.part,
    operandPath: at + pointer(op.key),
    ignoresCase: textOf(entry(first.part, 'ignore_case')) === 'true',
  };
}

/** The edits that add a condition behind those that are there: to a group, to one condition alone, or to none. */
export function addCondition(form: Part | undefined, wherePath: string, value: unknown, before: string): Edit[] {
  const where = find(form, wherePath);
  const node = criteria(where, wherePath);
  if (!node)
    return where
      ? [{ op: 'set', path: wherePath, value: { all: [value] } as never }]
      : [{ op: 'add', path: wherePath, before, value: { all: [value] } as never }];
  if (node.is === 'group') return [{ op: 'add', path: `${wherePath}${pointer(node.logic)}/-`, value: value as never }];
  return [{ op: 'set', path: wherePath, value: { all: [valueOf(where), value] } as never }];
}

/** What was found at a part or below it, down to the parts that are told by themselves. */
export function findingsAt(findings: Finding[], path: string, below = true): Finding[] {
  return findings.filter((f) => f.path === path || (below && f.path.startsWith(`${path}/`)));
}

/** Whether a new place of an item lies within the item. */
const isWithin = (path: string, of: string) => path === of || path.startsWith(`${of}/`);

/**
 * The edit that moves an item of one list in front of an item of another, both places as they are now. Nothing where
 * it would stay or go into itself.
 */
export function moveTo(from: string, list: string, index: number): Edit[] {
  if (isWithin(list, from)) return [];
  const fromParts = partsOf(from);
  const at = Number(fromParts.at(-1));
  const fromList = pointer(...fromParts.slice(0, -1));
  if (fromList === list) {
    if (index === at || index === at + 1) return [];
    return [{ op: 'move', from, path: `${list}/${index > at ? index - 1 : index}` }];
  }
  // What stood behind it in its list, and all in that, moves up by one once it is taken away.
  const target = partsOf(list);
  const depth = fromParts.length - 1;
  if (isWithin(list, fromList) && Number(target[depth]) > at) target[depth] = String(Number(target[depth]) - 1);
  return [{ op: 'move', from, path: pointer(...target, index) }];
}

/** Puts a node of a list into a group of its own there. */
export function wrap(path: string, logic: Logic): Edit[] {
  const at = partsOf(path);
  const list = pointer(...at.slice(0, -1));
  const i = Number(at.at(-1));
  return [
    { op: 'add', path: `${list}/${i}`, value: { [logic]: [] } as never },
    { op: 'move', from: `${list}/${i + 1}`, path: `${list}/${i}/${logic}/0` },
  ];
}

/** The path of the part whose key or dash stands at a line and column; '' for none. */
export function pathAtPlace(form: Part | undefined, line: number, column: number, path = ''): string {
  for (const [i, e] of (form?.parts ?? []).entries()) {
    const at = path + pointer(form?.kind === 'list' ? i : (e.key ?? ''));
    if (form?.kind === 'mapping' && e.line === line && e.column === column) return at;
    const deeper = pathAtPlace(e.part, line, column, at);
    if (deeper) return deeper;
  }
  return '';
}

/** Columns to pick one from. */
export const columnOptions = (words: Words | undefined) => (words?.columns ?? []).map((c) => ({ value: c.name, text: c.label, note: `${c.name}, ${c.type}` }));
