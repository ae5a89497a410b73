import { beforeEach, expect, test, vi } from 'vitest';
import { linkOfAnswers, linkOfEntered, linkOfKept } from '../../src/lib/answers';
import { csvForm, keepCsvForm, plainCsv, queryOfCsv } from '../../src/lib/csv';
import { progressText } from '../../src/lib/format';
import { keepSeen, newSince, seenReports } from '../../src/lib/latest';

beforeEach(() => {
  const held = new Map<string, string>();
  vi.stubGlobal('localStorage', { getItem: (key: string) => held.get(key) ?? null, setItem: (key: string, value: string) => held.set(key, value) });
});

test('the form of CSV is remembered, and what cannot be read is the plain one', () => {
  expect(queryOfCsv(csvForm())).toEqual({ safe: 'true' });
  keepCsvForm({ separator: 'semicolon', decimal: 'comma', dates: 'dd.MM.yyyy', mark: true });
  expect(queryOfCsv(csvForm())).toEqual({ safe: 'true', separator: 'semicolon', decimal: 'comma', dates: 'dd.MM.yyyy', mark: 'true' });
  localStorage.setItem('pikegate-csv', '{');
  expect(csvForm()).toEqual(plainCsv);
});

test('what is new is what was not there or has another revision', () => {
  const of = (name: string, revision: number) => ({ name, revision, title: name, about: '', shelf: '' });
  expect(newSince([of('a', 1)], seenReports())).toEqual([]);
  keepSeen([of('a', 1), of('b', 2)]);
  expect(newSince([of('a', 2), of('b', 2), of('c', 1)], seenReports()).map((r) => r.name)).toEqual(['a', 'c']);
});

test('links carry answers, view, day and run', () => {
  const answers = { days: 'last month', routes: ['Outer Loop', 'Holm'] };
  expect(linkOfAnswers({ report: 'late', answers, view: { sort: ['n descending'] }, as_of: '2026-11-23' })).toBe(
    '/reports/late?days=last+month&routes=Outer+Loop&routes=Holm&view.sort=n+descending&view.as_of=2026-11-23',
  );
  expect(linkOfAnswers({ report: 'late', answers: {}, view: {} })).toBe('/reports/late');
  expect(linkOfEntered({ report: 'late', entered: { days: { start: 'a', end: 'b' } } })).toBe('/reports/late?days=a&days.end=b');
  expect(linkOfKept({ id: 7, report: 'late', entered: { days: 'today' } })).toBe('/reports/late?days=today&view.run=7');
});

test('how far a run is, in words', () => {
  expect(progressText({ stage: 'waiting', ahead: 2 })).toBe('Waiting; 2 runs before it');
  expect(progressText({ stage: 'waiting' })).toBe('Waiting for its turn');
  expect(progressText({ stage: 'reading', rows: 12288, share: 40 })).toBe('Reading the records: 12,288 so far, 40 % of the period');
  expect(progressText({ stage: 'reading' })).toBe('Reading the records');
  expect(progressText({ stage: 'counting', rows: 5 })).toBe('Counting what shows that these records are right');
});
