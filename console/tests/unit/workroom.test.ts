import { EditorState } from '@codemirror/state';
import { expect, test } from 'vitest';
import type { Part, Schema, Words } from '../../src/workroom/api';
import { pathAt } from '../../src/workroom/file';
import { addCondition, criteria, find, moveTo, partsOf, pathAtPlace, pointer, scalarOf, valueOf, wrap } from '../../src/workroom/part';
import { keysOf, schemaAt, schemaOf, wayOf, wordsOf } from '../../src/workroom/schema';
import { definitionsFor, nameOf, quoted } from '../../src/workroom/templates';

/** A part as the service tells it, of a value. */
function part(value: unknown): Part {
  const at = { line: 1, column: 1 };
  if (Array.isArray(value)) return { kind: 'list', line: 1, parts: value.map((v) => ({ ...at, part: part(v) })) };
  if (value && typeof value === 'object') return { kind: 'mapping', line: 1, parts: Object.entries(value).map(([key, v]) => ({ ...at, key, part: part(v) })) };
  if (value === null) return { kind: 'nothing', line: 1 };
  return { kind: 'scalar', text: String(value), bare: typeof value !== 'string', line: 1 };
}

const query = part({
  query: 'late',
  where: {
    all: [
      { left: { within: { prompt: 'days' } } },
      { any: [{ route: 'missing' }, { filter: 'carried' }] },
      { late: { is: 'x', ignore_case: true } },
      { two: 1, keys: 2 },
    ],
  },
});

test('a part is read as the sentence that it is', () => {
  const where = criteria(find(query, '/where'), '/where');
  expect(where).toMatchObject({ is: 'group', logic: 'all', path: '/where' });
  const nodes = where?.is === 'group' ? where.nodes : [];
  expect(nodes.map((n) => n.is)).toEqual(['condition', 'group', 'condition', 'other']);
  expect(nodes[0]).toMatchObject({ column: 'left', op: 'within', operandPath: '/where/all/0/left/within', ignoresCase: false });
  expect(nodes[2]).toMatchObject({ op: 'is', ignoresCase: true });
  expect(nodes[1]).toMatchObject({ nodes: [{ op: 'missing' }, { is: 'filter', name: 'carried' }] });
  expect(criteria(undefined, '/where')).toBeUndefined();
});

test('values go back as they came', () => {
  const value = { a: [1, 'x', true, null, { b: '1.50' }], c: {} };
  expect(valueOf(part(value))).toEqual(value);
  expect(valueOf({ kind: 'scalar', text: '1.50', bare: true, line: 1 })).toBe('1.50'); // its digits stay
  expect([scalarOf('12.5', true), scalarOf('007', true), scalarOf('12', false), scalarOf('', true)]).toEqual([12.5, '007', '12', '']);
});

test('pointers keep what is special in them', () => {
  expect(pointer('a/b', 0, 'c~d')).toBe('/a~1b/0/c~0d');
  expect(partsOf('/a~1b/0/c~0d')).toEqual(['a/b', '0', 'c~d']);
  expect(partsOf('')).toEqual([]);
});

test('a node moves to where it is dropped, told as places are once it is taken away', () => {
  expect(moveTo('/where/all/0', '/where/all', 2)).toEqual([{ op: 'move', from: '/where/all/0', path: '/where/all/1' }]);
  expect(moveTo('/where/all/2', '/where/all', 0)).toEqual([{ op: 'move', from: '/where/all/2', path: '/where/all/0' }]);
  expect(moveTo('/where/all/1', '/where/all', 1)).toEqual([]);
  expect(moveTo('/where/all/1', '/where/all', 2)).toEqual([]);
  expect(moveTo('/where/all/0', '/where/all/2/any', 1)).toEqual([{ op: 'move', from: '/where/all/0', path: '/where/all/1/any/1' }]);
  expect(moveTo('/where/all/3', '/where/all/2/any', 0)).toEqual([{ op: 'move', from: '/where/all/3', path: '/where/all/2/any/0' }]);
  expect(moveTo('/where/all/2', '/where/all/2/any', 0)).toEqual([]); // into itself
  expect(wrap('/where/all/1', 'none')).toEqual([
    { op: 'add', path: '/where/all/1', value: { none: [] } },
    { op: 'move', from: '/where/all/2', path: '/where/all/1/none/0' },
  ]);
});

test('a condition is added to a group, to one alone, and to none', () => {
  const value = { x: 'present' };
  expect(addCondition(query, '/where', value, 'sort')).toEqual([{ op: 'add', path: '/where/all/-', value }]);
  expect(addCondition(part({ where: { y: 'missing' } }), '/where', value, 'sort')).toEqual([
    { op: 'set', path: '/where', value: { all: [{ y: 'missing' }, value] } },
  ]);
  expect(addCondition(part({ query: 'q' }), '/where', value, 'sort')).toEqual([{ op: 'add', path: '/where', before: 'sort', value: { all: [value] } }]);
});

test('a place of the file is found again as a part', () => {
  const form: Part = {
    kind: 'mapping',
    line: 1,
    parts: [
      {
        key: 'all',
        line: 6,
        column: 3,
        part: {
          kind: 'list',
          line: 7,
          parts: [
            {
              line: 7,
              column: 5,
              part: { kind: 'mapping', line: 7, parts: [{ key: 'x', line: 7, column: 7, part: { kind: 'scalar', text: 'missing', line: 7 } }] },
            },
          ],
        },
      },
    ],
  };
  expect(pathAtPlace(form, 7, 7)).toBe('/all/0/x');
  expect(pathAtPlace(form, 9, 1)).toBe('');
});

test('where one is in a file holds while one types', () => {
  const text = [
    'query: late',
    'where:',
    '  all:',
    '    # a comment',
    '    - left: {within: {prompt: days}}',
    '    - any:',
    '        - route: {any_of: [a, b]}',
    '        - late:',
    '            at_least: 5',
    'sort: [left, ',
  ].join('\n');
  const state = EditorState.create({ doc: text });
  const at = (before: string) => pathAt(state, text.indexOf(before) + before.length);
  expect(at('query: ')).toEqual({ path: [], key: 'query', isValue: true });
  expect(at('{within: {prompt: ')).toEqual({ path: ['where', 'all', '0', 'left', 'within'], key: 'prompt', isValue: true });
  expect(at('any_of: [a, ')).toMatchObject({ path: ['where', 'all', '1', 'any', '0', 'route', 'any_of', '1'] });
  expect(at('            at_least: ')).toEqual({ path: ['where', 'all', '1', 'any', '1', 'late'], key: 'at_least', isValue: true });
  expect(at('sort: [left, ')).toMatchObject({ path: ['sort', '1'], isValue: false });
});

const whole: Schema = {
  $defs: { name: { type: 'string' } },
  oneOf: [
    {
      title: 'thing',
      type: 'object',
      properties: {
        of: { $ref: '#/$defs/name', description: 'Its dataset.' },
        kind: { enum: ['a', 'b'] },
        parts: {
          type: 'array',
          items: {
            oneOf: [{ type: 'string' }, { type: 'object', properties: { figure: { type: 'object', properties: { better: { enum: ['more', 'less'] } } } } }],
          },
        },
      },
      required: ['of'],
    },
  ],
};

test('the schema is followed along what is there', () => {
  const root = schemaOf(whole, 'thing');
  const form = part({ of: 'x', parts: ['y', { figure: { better: 'more' } }] });
  expect(schemaAt(root, form, ['of'])).toMatchObject({ type: 'string', description: 'Its dataset.', refers: 'name' });
  expect(wordsOf(schemaAt(root, form, ['parts', '1', 'figure', 'better']), root)).toEqual(['more', 'less']);
  expect(wayOf(root.properties!.parts!.items!, find(form, '/parts/0'), root).type).toBe('string');
  expect(Object.keys(keysOf(schemaAt(root, form, []), root))).toEqual(['of', 'kind', 'parts']);
  expect(schemaAt(root, form, ['none', 'deep'])).toBeUndefined();
});

test('templates make definitions of the columns that there are', () => {
  const words: Words = {
    dataset: 'trips',
    title: 'Trips',
    key: ['id'],
    columns: [
      { name: 'id', label: 'Trip', type: 'integer' },
      { name: 'left on', label: 'Left on', type: 'date' },
    ],
    filters: [],
    prompts: [],
    operators: [],
  };
  const made = definitionsFor('between', 'trips', 'Trips: all', words, 'left on');
  expect(made.map((d) => d.kind)).toEqual(['prompt', 'query', 'report']);
  expect(made[1]!.text).toBe(
    'pikegate: 1\nquery: trips\nof: trips\nshow: ["left on", id]\nwhere:\n  all:\n    - "left on": {within: {prompt: trips-period}}\nsort: ["left on descending"]\n',
  );
  expect(made[2]!.text).toContain('title: "Trips: all"');
  expect(definitionsFor('open', 'open', 'Open', words, 'left on')[0]!.text).toContain('- "left on": missing');
  expect([nameOf('Späte Fahrten, Nord!'), nameOf('2026'), quoted('yes'), quoted('a: b'), quoted('Late sailings')]).toEqual([
    'spate-fahrten-nord',
    '',
    '"yes"',
    '"a: b"',
    'Late sailings',
  ]);
});
