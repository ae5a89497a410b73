// What a chart is drawn of: places along its axis, and series of numbers at them.
import { numberText, roundText, say, shortMonth } from './words';
import type { Row, Shown } from './api';
import { cellText } from './format';

/** A place along the axis of a chart: a unit of the calendar with its days, counted from 1970, or a value. */
type Place = { name: string; text: string; from: number; to: number };

/** Numbers by place: null where nothing is known of one. Texts are the numbers as they were sent. */
type Series = { name: string; values: (number | null)[]; texts: string[] };

type Picture = {
  places: Place[];
  series: Series[];
  /** The same figure of other periods, of a chart that is not split. */
  others: Series[];
  isTime: boolean;
  /** Rows that have no place along an axis of time: missing and unreadable dates. */
  aside: string[];
};

const dayMs = 86_400_000;
const two = (n: number) => String(n).padStart(2, '0');

function days(year: number, month: number, day: number): number {
  const at = new Date(0);
  at.setUTCFullYear(year, month, day);
  return Math.round(at.getTime() / dayMs);
}

const dateOf = (day: number) => new Date(day * dayMs);

/** The first day of an ISO week, counted from 1970. */
function weekStart(year: number, week: number): number {
  const fourth = days(year, 0, 4); // which is in week 1
  return fourth - ((dateOf(fourth).getUTCDay() + 6) % 7) + 7 * (week - 1);
}

/** The days of a unit by its name, the last excluded; undefined where it is none. */
export function unitOf(by: string, name: string): [number, number] | undefined {
  const m = { day: /^(\d{4})-(\d\d)-(\d\d)$/, week: /^(\d{4})-W(\d\d)$/, month: /^(\d{4})-(\d\d)$/, quarter: /^(\d{4})-Q(\d)$/, year: /^(\d{4})$/ }[by]?.exec(
    name,
  );
  if (!m) return undefined;
  const [year, part, day] = [Number(m[1]), Number(m[2] ?? 1), Number(m[3] ?? 1)];
  if (by === 'day') return [days(year, part - 1, day), days(year, part - 1, day) + 1];
  if (by === 'week') return [weekStart(year, part), weekStart(year, part) + 7];
  const months = { month: 1, quarter: 3, year: 12 }[by]!;
  return [days(year, (part - 1) * months, 1), days(year, part * months, 1)];
}

/** The name of the unit that begins on a day. */
export function unitName(by: string, start: number): string {
  const at = dateOf(start);
  const year = String(at.getUTCFullYear()).padStart(4, '0');
  const month = at.getUTCMonth();
  if (by === 'day') return `${year}-${two(month + 1)}-${two(at.getUTCDate())}`;
  if (by === 'month') return `${year}-${two(month + 1)}`;
  if (by === 'quarter') return `${year}-Q${Math.floor(month / 3) + 1}`;
  if (by === 'year') return year;
  const thursday = dateOf(start + 3).getUTCFullYear();
  return `${String(thursday).padStart(4, '0')}-W${two(Math.round((start - weekStart(thursday, 1)) / 7) + 1)}`;
}

/** The most places that gaps between units are filled to. */
const mostPlaces = 10_000;

/** All units from the first through the last of some, so that those without a number are seen as gaps. */
function unitsOver(by: string, names: string[]): Place[] {
  const spans = names.map((name) => unitOf(by, name)!);
  let start = Math.min(...spans.map(([from]) => from));
  const end = Math.max(...spans.map(([, to]) => to));
  const places: Place[] = [];
  while (start < end && places.length < mostPlaces) {
    const name = unitName(by, start);
    const [from, to] = unitOf(by, name)!;
    places.push({ name, text: cellText({ name: '', label: '', type: by === 'day' ? 'date' : 'text' }, name), from, to });
    start = to;
  }
  return places;
}

const textOf = (value: Row[number] | undefined) => (value === null || value === undefined ? 'missing' : String(value));

/** What the section of a chart draws. */
export function pictureOf(section: Shown): Picture {
  const chart = section.chart!;
  const at = (name?: string) => section.columns.findIndex((c) => c.name === name);
  const [across, up, split] = [at(chart.across), at(chart.up), at(chart.split)];
  const isTime = !!chart.by && !['weekday', 'month_of_year', 'hour_of_day'].includes(chart.by);
  const placed = section.rows.filter((row) => !isTime || unitOf(chart.by!, textOf(row[across])));
  const names = [...new Set(placed.map((row) => textOf(row[across])))];
  const places = isTime ? unitsOver(chart.by!, names) : names.map((name, i) => ({ name, text: cellText(section.columns[across]!, name), from: i, to: i + 1 }));
  const index = new Map(places.map((p, i) => [p.name, i]));
  const empty = (name: string): Series => ({ name, values: places.map(() => null), texts: places.map(() => '') });
  const series = new Map<string, Series>();
  const others = (split < 0 ? (chart.compare ?? []) : []).map((o) => ({ at: at(o.up), series: empty(section.columns[at(o.up)]!.label) }));
  for (const row of placed) {
    const i = index.get(textOf(row[across]));
    if (i === undefined) continue;
    const name = split < 0 ? section.columns[up]!.label : textOf(row[split]);
    if (!series.has(name)) series.set(name, empty(name));
    set(series.get(name)!, i, row[up]);
    for (const other of others) set(other.series, i, row[other.at]);
  }
  const last = (name: string) => ['missing', 'unreadable', 'others'].indexOf(name);
  const aside = section.rows
    .filter((row) => !placed.includes(row))
    .map((row) => `${textOf(row[across])}${split < 0 ? '' : `, ${textOf(row[split])}`}: ${textOf(row[up])}`);
  return { places, series: [...series.values()].sort((a, b) => last(a.name) - last(b.name)), others: others.map((o) => o.series), isTime, aside };
}

function set(series: Series, i: number, value: Row[number] | undefined) {
  if (value === null || value === undefined) return;
  series.values[i] = Number(value);
  series.texts[i] = String(value);
}

/** Numbers on each other: of each place where each series begins and ends. With share, in per cent of the place. */
export function stacked(series: Series[], share: boolean): [number, number][][] {
  const count = series[0]?.values.length ?? 0;
  const from = new Array<number>(count).fill(0);
  const sums = from.map((_, i) => series.reduce((sum, s) => sum + (s.values[i] ?? 0), 0));
  return series.map((s) =>
    s.values.map((value, i) => {
      const n = share ? (sums[i]! > 0 ? (100 * (value ?? 0)) / sums[i]! : 0) : (value ?? 0);
      const start = from[i]!;
      from[i] = start + n;
      return [start, start + n];
    }),
  );
}

/** What answers a prompt so that only the records of a place are left: of a unit as much as lies in the period that was asked for. */
export function answerOfPlace(picture: Picture, place: Place, first = '', last = ''): string {
  if (!picture.isTime) return place.name;
  const days = [place.from, place.to - 1].map((day) => unitName('day', day)) as [string, string];
  const from = first > days[0] ? first : days[0];
  const to = last && last < days[1] ? last : days[1];
  if (from === to) return from;
  return from === days[0] && to === days[1] ? place.name : say('{0} to {1}', from, to);
}

/** Whether the records of a place can be asked for: those of several values together, and of none, cannot. */
export const canOpen = (picture: Picture, place: Place) => picture.isTime || !['missing', 'others'].includes(place.name);

type Tick = { at: number; text: string };

/** Marks along time at days that people name, no more than fit: days, Mondays, firsts of months, quarters, years. */
export function timeTicks(from: number, to: number, most: number): Tick[] {
  const starts = (test: (at: Date) => boolean) => {
    const found: number[] = [];
    for (let day = from; day < to; day++) if (test(dateOf(day))) found.push(day);
    return found;
  };
  const isFirst = (every: number) => (at: Date) => at.getUTCDate() === 1 && at.getUTCMonth() % every === 0;
  const short: [(at: Date) => boolean, boolean][] = [
    [() => true, true],
    [(at) => at.getUTCDay() === 1, true],
    [(at) => at.getUTCDate() === 1 || at.getUTCDate() === 15, true],
  ];
  const long: [(at: Date) => boolean, boolean][] = [1, 3, 6, 12].map((every) => [isFirst(every), false]);
  for (const [test, isDay] of [...(to - from > 400 ? [] : short), ...long]) {
    const found = starts(test);
    if (found.length > most || found.length === 0) continue;
    return found.map((day, i) => {
      const at = dateOf(day);
      const month = shortMonth(at.getUTCMonth() + 1);
      const year = at.getUTCFullYear();
      const isNew = i === 0 || year !== dateOf(found[i - 1]!).getUTCFullYear();
      return { at: day, text: isDay ? `${at.getUTCDate()} ${month}${isNew ? ` ${year}` : ''}` : isNew ? `${month} ${year}` : month };
    });
  }
  const years = starts((at) => at.getUTCMonth() === 0 && at.getUTCDate() === 1).map((day) => ({ at: day, year: dateOf(day).getUTCFullYear() }));
  const step = Math.ceil(years.length / Math.max(1, most));
  return years.filter(({ year }) => year % step === 0).map(({ at, year }) => ({ at, text: String(year) }));
}

/** Every so many places, so that no more are named than fit. */
export function everyFew(places: Place[], most: number): Tick[] {
  const step = Math.ceil(places.length / Math.max(1, most));
  return places.filter((_, i) => i % step === 0).map((p) => ({ at: (p.from + p.to) / 2, text: p.text }));
}

/** What a place has, in words. */
export function saidOf(picture: Picture, i: number, unit = ''): string {
  const place = picture.places[i];
  if (!place) return '';
  const number = (s: Series) => (s.texts[i] ? `${s.texts[i]}${unit ? ` ${unit}` : ''}` : 'nothing');
  if (picture.series.length === 1) {
    const others = picture.others.map((o) => `${o.name.replace(/^.*, /, '')} ${number(o)}`);
    return [`${place.text}: ${number(picture.series[0]!)}`, ...others].join('; ');
  }
  return `${place.text}: ${
    picture.series
      .filter((s) => s.texts[i])
      .map((s) => `${s.name} ${number(s)}`)
      .join(', ') || 'nothing'
  }`;
}

/** A number along an axis. */
export const axisText = (n: number) => (Math.abs(n) >= 1_000_000 ? roundText(n) : numberText(n));
