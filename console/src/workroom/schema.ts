// The JSON Schema of definitions, as forms, completion and help read it.
import type { Part, Schema } from './api';
import { entries, entry, items } from './part';

/** The schema of a kind of definition, with what it refers to. */
export function schemaOf(whole: Schema, kind: string): Schema {
  return { ...(whole.oneOf?.find((s) => s.title === kind) ?? {}), $defs: whole.$defs };
}

/** What a reference stands for; the name of what it refers to is kept. */
function resolved(schema: Schema | undefined, root: Schema): Schema & { refers?: string } {
  if (!schema?.$ref) return schema ?? {};
  const name = schema.$ref.split('/').at(-1)!;
  const to = root.$defs?.[name] ?? {};
  return { ...to, description: schema.description || to.description, refers: name };
}

const fits = (schema: Schema, part: Part | undefined, root: Schema): boolean => {
  const s = resolved(schema, root);
  switch (part?.kind) {
    case 'mapping': {
      if (s.type !== 'object' && !s.properties) return false;
      const keys = entries(part).map((e) => e.key);
      const known = Object.keys(s.properties ?? {});
      return (s.required ?? []).every((k) => keys.includes(k)) && (!!s.additionalProperties || keys.every((k) => known.includes(k)));
    }
    case 'list':
      return s.type === 'array';
    case 'scalar':
      return s.type !== 'array' && s.type !== 'object' && (!s.enum || s.enum.map(String).includes(part.text ?? ''));
  }
  return false;
};

const shape = (schema: Schema, part: Part | undefined, root: Schema): boolean => {
  const s = resolved(schema, root);
  if (part?.kind === 'mapping') return s.type === 'object';
  if (part?.kind === 'list') return s.type === 'array';
  return s.type !== 'array' && s.type !== 'object';
};

/** Of the ways in which something can be written the one that is there: that which fits, else one of the same shape, else the first. */
export function wayOf(schema: Schema, part: Part | undefined, root: Schema): Schema & { refers?: string } {
  const s = resolved(schema, root);
  if (!s.oneOf || s.properties) return s;
  const way = s.oneOf.find((w) => fits(w, part, root)) ?? s.oneOf.find((w) => part && shape(w, part, root)) ?? s.oneOf[0]!;
  return { description: s.description, ...wayOf(way, part, root), refers: s.refers };
}

/** The schema of what stands at a path of a definition, by what is there; undefined where it has none. */
export function schemaAt(root: Schema, form: Part | undefined, path: string[]): (Schema & { refers?: string }) | undefined {
  let schema: (Schema & { refers?: string }) | undefined = root;
  let part = form;
  for (const key of path) {
    if (!schema) return undefined;
    const way: Schema = wayOf(schema, part, root);
    let next: Schema | undefined;
    if (way.type === 'array') {
      next = way.items;
      part = items(part)[Number(key)];
    } else {
      next =
        way.properties?.[key] ??
        (typeof way.additionalProperties === 'object' ? way.additionalProperties : undefined) ??
        anyProperty(resolved(schema, root), key, root);
      part = entry(part, key);
    }
    schema = next && resolved(next, root);
  }
  return schema;
}

/** A key of some other way in which the same can be written. */
function anyProperty(schema: Schema, key: string, root: Schema): Schema | undefined {
  for (const way of schema.oneOf ?? []) {
    const found = resolved(way, root).properties?.[key] ?? anyProperty(resolved(way, root), key, root);
    if (found) return found;
  }
  return undefined;
}

/** All keys that can stand in a mapping, in the order in which people write them. */
export function keysOf(schema: Schema | undefined, root: Schema): Record<string, Schema> {
  const s = resolved(schema, root);
  const all: Record<string, Schema> = { ...s.properties };
  for (const way of s.oneOf ?? []) for (const [key, of] of Object.entries(keysOf(way, root))) all[key] ??= of;
  return all;
}

/** The words of which a scalar is one; none where it can be any. */
export function wordsOf(schema: Schema | undefined, root: Schema): string[] {
  const s = resolved(schema, root);
  if (s.enum) return s.enum.map(String);
  if (s.type === 'boolean') return ['true', 'false'];
  return (s.oneOf ?? []).flatMap((way) => wordsOf(way, root));
}

/** The kind of definition that is named under a key. */
export const namedBy: Record<string, string> = {
  of: 'dataset',
  source: 'source',
  prompt: 'prompt',
  prompts: 'prompt',
  query: 'query',
  report: 'report',
  filter: 'filter',
};
