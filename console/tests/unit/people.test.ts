import { expect, test } from 'vitest';
import { attributesOf, attributesText } from '../../src/lib/people';

test('attributes are typed as they are shown', () => {
  const all = { harbours: ['Holm', 'Skerry'], desk: ['claims'], none: [] };
  expect(attributesText(all)).toBe('desk=claims; harbours=Holm, Skerry; none=');
  expect(attributesOf(attributesText(all))).toEqual(all);
  expect(attributesOf(' harbours = Holm ,, Skerry ; ')).toEqual({ harbours: ['Holm', 'Skerry'] });
  expect(attributesOf('rule=a=b')).toEqual({ rule: ['a=b'] });
  expect(attributesOf('no sign')).toEqual({ 'no sign': [] });
  expect(attributesOf('')).toEqual({});
});
