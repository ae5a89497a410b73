import { describe, expect, test } from 'vitest';
import { answersOf, defaultFields, fieldsFromQuery, hasTwoFields, queryOf, queryOfEntered } from '../../src/lib/answers';
import type { PromptInfo } from '../../src/lib/api';

const prompt = (name: string, type: string, more: object = {}) => ({ name, type, ask: name, labels: [], ...more }) as unknown as PromptInfo;
const prompts = [
  prompt('days', 'period', { default: 'last month' }),
  prompt('routes', 'choice', { many: true }),
  prompt('single', 'days'),
  prompt('late', 'number', { default: 15 }),
];

describe('answers', () => {
  test('an empty field is an answer left open on purpose', () => {
    expect(answersOf(prompts, {})).toEqual({ days: null, routes: null, single: null, late: null });
  });

  test('defaults stand in the fields, and are answers as they stand there', () => {
    expect(answersOf(prompts, defaultFields(prompts))).toEqual({ days: 'last month', routes: null, single: null, late: '15' });
  });

  test('a second field makes an answer of two ends, days are a line each', () => {
    const fields = {
      days: { start: '1 Mar 2026', end: '5 Mar 2026', values: [] },
      single: { start: '1 Mar 2026\n\n5 Mar 2026', end: '', values: [] },
    };
    expect(answersOf(prompts, fields)).toMatchObject({ days: { start: '1 Mar 2026', end: '5 Mar 2026' }, single: ['1 Mar 2026', '5 Mar 2026'] });
  });

  test('a link brings back the answers that it was made of', () => {
    const fields = {
      ...defaultFields(prompts),
      days: { start: 'Q1 2026', end: 'Q2 2026', values: ['Q1 2026'] },
      routes: { start: 'Outer & Loop', end: '', values: ['Outer & Loop', 'Skerry Run'] },
    };
    const again = fieldsFromQuery(prompts, new URLSearchParams(queryOf(prompts, fields)));
    expect(answersOf(prompts, again)).toEqual(answersOf(prompts, fields));
  });

  test('what a link does not name keeps its default, and what it leaves open is open', () => {
    const fields = fieldsFromQuery(prompts, new URLSearchParams('late='));
    expect(answersOf(prompts, fields)).toMatchObject({ days: 'last month', late: null });
  });

  test('answers of a receipt lead back to their report', () => {
    const query = queryOfEntered({ days: { start: '1 Mar 2026', end: '' }, routes: ['A', 'B'], single: null, late: 15 });
    expect(query).toBe('days=1+Mar+2026&days.end=&routes=A&routes=B&single=&late=15');
  });

  test('which prompts have two fields', () => {
    expect(['period', 'moment-period', 'day', 'number-range', 'text'].map((type) => hasTwoFields(prompt('p', type)))).toEqual([true, true, false, true, false]);
  });
});
