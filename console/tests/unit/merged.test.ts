import { expect, test } from 'vitest';
import { merged } from '../../src/workroom/merged';

test('two changes of one text at two places are one text', () => {
  const was = 'show: [route, fare]\nsort: [route]\n';
  const mine = was.replace('fare', 'fare, party');
  expect(merged(was, mine, was.replace('sort: [route]', 'sort: [fare]'))).toBe('show: [route, fare, party]\nsort: [fare]\n');
  expect(merged(was, was.replace('sort: [route]', 'sort: [fare]'), mine)).toBe('show: [route, fare, party]\nsort: [fare]\n');
  expect(merged(was, mine, was)).toBe(mine);
  expect(merged(was, was, mine)).toBe(mine);
  expect(merged(was, mine, mine)).toBe(mine);
});

test('two changes of one place are none', () => {
  expect(merged('a: 1\n', 'a: 2\n', 'a: 3\n')).toBeUndefined();
  expect(merged('a: 1\n', 'a: 12\n', 'a: 13\n')).toBeUndefined();
  expect(merged('abcdef', 'abXYef', 'aZef')).toBeUndefined();
});
