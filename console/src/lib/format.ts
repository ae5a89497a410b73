// Values as readers see them. The service sends dates in ISO form and instants
// with the zone's offset, so that their own digits are what clocks showed.
import { counted, dayText, grouped, numberText, pointed, say } from './words';
import type { Column, Progress, Receipt } from './api';

const isoDay = /^(\d{4})-(\d\d)-(\d\d)/;
const isoTime = /^[\d-]{10}T(\d\d:\d\d)(:[\d.]+)(.*)$/;

/** A day so that nobody can misread it, with its month by name; what is no day stays as it is. */
export function spelledDay(iso: string): string {
  const m = isoDay.exec(iso);
  if (!m) return iso;
  const at = new Date(0);
  at.setUTCFullYear(Number(m[1]), Number(m[2]) - 1, Number(m[3]));
  return dayText(at, m[1]!);
}

export const isNumeric = (column: Column) => column.type === 'integer' || column.type === 'decimal' || column.type === 'number';

// By how many minutes clocks are set back somewhere: an hour mostly, half an hour on Lord Howe Island, two hours at
// the station Troll, and others in the past.
const jumps = [-180, -120, -90, -60, -45, -40, -30, -20, 20, 30, 40, 45, 60, 90, 120, 180];

const inDigits = { year: 'numeric', month: 'numeric', day: 'numeric', hour: 'numeric', minute: 'numeric', second: 'numeric', hourCycle: 'h23' } as const;
const clocks = new Map<string, Intl.DateTimeFormat>();

function clockOfZone(zone: string): Intl.DateTimeFormat {
  let clock = clocks.get(zone);
  if (!clock) clocks.set(zone, (clock = new Intl.DateTimeFormat('en', { timeZone: zone, ...inDigits })));
  return clock;
}

const hour = 3_600_000;
const changes = new Map<string, boolean>();

/** Whether clocks in the zone are set anew within a day of a day, ISO: between two looks at half a day's distance no zone does so twice. */
function changesAround(day: string, zone: string): boolean {
  const key = `${day} ${zone}`;
  let found = changes.get(key);
  if (found === undefined) {
    const clock = clockOfZone(zone);
    const from = Date.parse(day) - 36 * hour;
    const offsets = new Set<number>();
    for (let at = from; at <= from + 96 * hour; at += 12 * hour) offsets.add(Date.parse(`${clock.format(at)} UTC`) - at);
    changes.set(key, (found = offsets.size > 1));
  }
  return found;
}

/** Whether clocks in the zone show the wall time of an instant twice, so that it takes the offset to tell which is meant. */
function isRepeated(instant: string, zone: string): boolean {
  if (!changesAround(instant.slice(0, 10), zone)) return false;
  const clock = clockOfZone(zone);
  const at = Date.parse(instant);
  const shown = clock.format(at);
  return jumps.some((minutes) => clock.format(at + minutes * 60_000) === shown);
}

/** Whether an instant comes by UTC although its zone's clocks showed another time: one whose offset had seconds, which its form has no place for. */
function isByUtc(instant: string, zone: string): boolean {
  if (!instant.endsWith('Z')) return false;
  const at = Date.parse(instant);
  const minute = (timeZone: string) => new Intl.DateTimeFormat('en', { timeZone, timeStyle: 'medium' }).format(at);
  return minute(zone) !== minute('UTC');
}

export function cellText(column: Column, value: string | number | boolean): string {
  if (typeof value === 'boolean') return value ? say('yes') : say('no');
  const text = String(value);
  if (column.type === 'date') return spelledDay(text);
  const moment = column.type === 'instant' || column.type === 'datetime' ? isoTime.exec(text) : null;
  if (moment) {
    const [, clock, seconds, offset] = moment;
    let shown = '';
    if (column.zone && isByUtc(text, column.zone)) shown = ' UTC';
    else if (column.zone && isRepeated(text, column.zone)) shown = ` ${offset === 'Z' ? '+00:00' : offset}`;
    return `${spelledDay(text)} ${clock}${seconds === ':00' ? '' : seconds}${shown}`;
  }
  return isNumeric(column) ? pointed(text) : text;
}

/** What people call the time of a zone, within a sentence: a name of their own in small letters, the zone's as it is. */
export function clockText(clock: string, zone: string): string {
  return clock === zone ? clock : clock.charAt(0).toLowerCase() + clock.slice(1);
}

/** How a run ended, in few words. */
export const outcomes: Record<Receipt['state'], string> = {
  running: 'running',
  rows: say('records came back'),
  no_rows: say('no records'),
  refused: say('answer refused'),
  definition_in_error: say('definition in error'),
  source_failed: say('source did not answer'),
  source_busy: say('source was busy'),
  cut_by_time: say('cut by time'),
  cut_by_size: say('cut by size'),
  cancelled: 'cancelled',
  interrupted: 'interrupted',
  failed: 'failed',
};

/** How far a run is, in words. */
export function progressText(p: Progress): string {
  if (p.stage === 'waiting') return p.ahead ? say('Waiting; {0} before it', counted(p.ahead, '{0} run|{0} runs')) : say('Waiting for its turn');
  if (p.stage === 'counting') return say('Counting what shows that these records are right');
  if (!p.rows) return say('Reading the records');
  const share = p.share === undefined ? '' : say(', {0} % of the period', p.share);
  return say('Reading the records: {0} so far{1}', numberText(p.rows), share);
}

export function recordsOf(receipt: Receipt): string {
  if (receipt.records === undefined) return say('{0} and maybe more', counted(receipt.rows, '{0} row|{0} rows'));
  if (receipt.groups) return say('{0} in {1}', counted(receipt.records, '{0} record|{0} records'), counted(receipt.groups, '{0} row|{0} rows'));
  return receipt.records === 0 ? say('No records') : counted(receipt.records, '{0} record|{0} records');
}

/** A moment as this browser's clock has it. */
export function momentText(instant: string): string {
  const at = new Date(instant);
  const two = (n: number) => String(n).padStart(2, '0');
  const day = new Date(Date.UTC(at.getFullYear(), at.getMonth(), at.getDate()));
  return `${dayText(day, String(at.getFullYear()))} ${two(at.getHours())}:${two(at.getMinutes())}`;
}

export function tookText(ms: number): string {
  if (ms < 1) return say('under 1 ms');
  return ms >= 1000 ? `${grouped((ms / 1000).toFixed(1))} s` : say('{0} ms', Math.round(ms));
}

/** The day of a moment, by the zone's clocks. */
export const dayOf = (instant?: string) => instant?.slice(0, 10);

/** The time of day of a moment, by the zone's clocks, without seconds where there are none. */
export const clockOf = (instant?: string) => instant?.slice(11, instant.slice(17, 19) === '00' ? 16 : 19);
