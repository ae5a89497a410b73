import { expect, test } from 'vitest';
import { cellText, clockOf, clockText, dayOf, isNumeric, spelledDay } from '../../src/lib/format';
import { counted } from '../../src/lib/words';
import type { Column } from '../../src/lib/api';

const column = (type: string, zone?: string) => ({ name: 'c', label: 'C', type, zone }) as unknown as Column;

test('days are spelled so that nobody can misread them', () => {
  expect(spelledDay('2026-10-25')).toBe('Sun 25 Oct 2026');
  expect(spelledDay('0099-01-02')).toBe('Fri 2 Jan 0099');
  expect(spelledDay('no day')).toBe('no day');
});

test('an hour that clocks show twice is told by its offset, any other is not', () => {
  const at = column('instant', 'Europe/Helsinki');
  expect(cellText(at, '2026-10-25T03:30:00+03:00')).toBe('Sun 25 Oct 2026 03:30 +03:00');
  expect(cellText(at, '2026-10-25T03:30:00+02:00')).toBe('Sun 25 Oct 2026 03:30 +02:00');
  expect(cellText(column('instant', 'America/St_Johns'), '2006-10-29T00:00:30-02:30')).toBe('Sun 29 Oct 2006 00:00:30 -02:30');
  expect(cellText(column('instant', 'Australia/Lord_Howe'), '2026-04-05T01:45:00+11:00')).toBe('Sun 5 Apr 2026 01:45 +11:00');
  expect(cellText(column('instant', 'Africa/Casablanca'), '2024-03-10T02:30:00Z')).toBe('Sun 10 Mar 2024 02:30 +00:00');
  expect(cellText(at, '2026-10-25T04:30:05+02:00')).toBe('Sun 25 Oct 2026 04:30:05');
});

test('values as they are', () => {
  expect(cellText(column('yes-no'), true)).toBe('yes');
  expect(cellText(column('decimal'), '12.50')).toBe('12.50');
  expect(cellText(column('text'), '2026-10-25T03:30:00Z')).toBe('2026-10-25T03:30:00Z');
  expect(['integer', 'decimal', 'number', 'text', 'date'].map((type) => isNumeric(column(type)))).toEqual([true, true, true, false, false]);
});

test('numbers of things and names of clocks', () => {
  const records = '{0} record|{0} records';
  expect([counted(1, records), counted(0, records), counted(1234, records)]).toEqual(['1 record', '0 records', '1,234 records']);
  expect([clockText('Harbour time', 'Europe/Helsinki'), clockText('Europe/Helsinki', 'Europe/Helsinki')]).toEqual(['harbour time', 'Europe/Helsinki']);
});

test('the day and the time of day of a moment', () => {
  expect([dayOf('2026-03-05T14:30:00+02:00'), dayOf()]).toEqual(['2026-03-05', undefined]);
  expect([clockOf('2026-03-05T14:30:00+02:00'), clockOf('2026-03-05T14:30:07+02:00'), clockOf()]).toEqual(['14:30', '14:30:07', undefined]);
});
