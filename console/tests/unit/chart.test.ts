import { expect, test } from 'vitest';
import type { Shown } from '../../src/lib/api';
import { answerOfPlace, canOpen, everyFew, pictureOf, saidOf, stacked, timeTicks, unitName, unitOf } from '../../src/lib/chart';

const section = (by: string | undefined, rows: Shown['rows'], more: Partial<Shown['chart']> = {}): Shown => ({
  section: 1,
  kind: 'chart',
  query: 'q',
  label: 'C',
  ended: true,
  rows,
  columns: [
    { name: 'at', type: by === 'day' ? 'date' : 'text', label: 'At' },
    { name: 'n', type: 'decimal', label: 'N' },
    { name: 'by', type: 'text', label: 'By' },
    { name: 'n_previous', type: 'decimal', label: 'N, the period before' },
  ],
  chart: { kind: 'column', across: 'at', up: 'n', by, ...more },
});

test('units have their days, and their names lead back', () => {
  for (const [by, name, first, days] of [
    ['day', '2026-03-01', '2026-03-01', 1],
    ['week', '2026-W53', '2026-12-28', 7],
    ['week', '2025-W01', '2024-12-30', 7],
    ['month', '2024-02', '2024-02-01', 29],
    ['quarter', '2026-Q1', '2026-01-01', 90],
    ['year', '0099', '0099-01-01', 365],
  ] as const) {
    const [from, to] = unitOf(by, name)!;
    expect(unitName('day', from)).toBe(first);
    expect(to - from).toBe(days);
    expect(unitName(by, from)).toBe(name);
  }
  expect(unitOf('month', 'unreadable')).toBeUndefined();
  expect(unitOf('weekday', 'Monday')).toBeUndefined();
});

test('units without a number are gaps, and what is no unit stands aside', () => {
  const picture = pictureOf(
    section('month', [
      ['2025-11', '1.5'],
      ['2026-02', '0'],
      [null, '7'],
      ['unreadable', '16'],
    ]),
  );
  expect(picture.places.map((p) => p.name)).toEqual(['2025-11', '2025-12', '2026-01', '2026-02']);
  expect(picture.series[0]!.values).toEqual([1.5, null, null, 0]);
  expect(picture.aside).toEqual(['missing: 7', 'unreadable: 16']);
  expect(saidOf(picture, 0, 'EUR')).toBe('2025-11: 1.5 EUR');
  expect(saidOf(picture, 1)).toBe('2025-12: nothing');
});

test('series stand in order, those put together last, and other periods beside them', () => {
  const split = pictureOf(
    section(
      undefined,
      [
        ['x', '1', 'others'],
        ['x', '2', 'b'],
        ['y', '3', null],
        ['y', '4', 'a'],
      ],
      { split: 'by' },
    ),
  );
  expect(split.series.map((s) => s.name)).toEqual(['b', 'a', 'missing', 'others']);
  expect(saidOf(split, 1)).toBe('y: a 4, missing 3');
  expect(split.others).toEqual([]);
  const beside = pictureOf(section(undefined, [['x', '1', null, '2']], { compare: [{ with: 'previous', up: 'n_previous' }] }));
  expect(beside.others[0]!.values).toEqual([2]);
  expect(saidOf(beside, 0)).toBe('x: 1; the period before 2');
  expect(pictureOf(section(undefined, [])).places).toEqual([]);
});

test('a place is asked for as far as it lies in the period', () => {
  const weeks = pictureOf(
    section('week', [
      ['2026-W09', '1'],
      ['2026-W10', '2'],
      ['2026-W11', '3'],
    ]),
  );
  const ask = (i: number) => answerOfPlace(weeks, weeks.places[i]!, '2026-03-01', '2026-03-10');
  expect([ask(0), ask(1), ask(2)]).toEqual(['2026-03-01', '2026-W10', '2026-03-09 to 2026-03-10']);
  expect(answerOfPlace(weeks, weeks.places[0]!)).toBe('2026-W09');
  const values = pictureOf(
    section(undefined, [
      ['x', '1'],
      ['others', '2'],
    ]),
  );
  expect(values.places.map((p) => canOpen(values, p))).toEqual([true, false]);
  expect(answerOfPlace(values, values.places[0]!, '2026-03-01')).toBe('x');
});

test('numbers stand on each other, as shares of a hundred where that is wanted', () => {
  const series = [
    { name: 'a', values: [1, null], texts: [] },
    { name: 'b', values: [3, 0], texts: [] },
  ];
  expect(stacked(series, false)).toEqual([
    [
      [0, 1],
      [0, 0],
    ],
    [
      [1, 4],
      [0, 0],
    ],
  ]);
  expect(stacked(series, true)[1]).toEqual([
    [25, 100],
    [0, 0],
  ]);
});

test('ticks are days, Mondays, firsts of months or years, no more than fit', () => {
  const ticks = (first: string, last: string, most: number) => timeTicks(unitOf('day', first)![0], unitOf('day', last)![1], most).map((t) => t.text);
  expect(ticks('2026-03-01', '2026-03-03', 8)).toEqual(['1 Mar 2026', '2 Mar', '3 Mar']);
  expect(ticks('2026-03-01', '2026-03-31', 8)).toEqual(['2 Mar 2026', '9 Mar', '16 Mar', '23 Mar', '30 Mar']);
  expect(ticks('2026-03-01', '2026-03-31', 3)).toEqual(['1 Mar 2026', '15 Mar']);
  expect(ticks('2025-11-01', '2026-02-28', 5)).toEqual(['Nov 2025', 'Dec', 'Jan 2026', 'Feb']);
  expect(ticks('2020-01-01', '2029-12-31', 5)).toEqual(['2020', '2022', '2024', '2026', '2028']);
  expect(
    everyFew(
      [0, 1, 2].map((i) => ({ name: `${i}`, text: `${i}`, from: i, to: i + 1 })),
      2,
    ).map((t) => t.text),
  ).toEqual(['0', '2']);
});
