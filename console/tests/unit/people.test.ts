import { expect, test } from 'vitest';
import { attributesOf, attributesText, whoSees, type Group, type Person } from '../../src/lib/people';

test('attributes are typed as they are shown', () => {
  const all = { harbours: ['Holm', 'Skerry'], desk: ['claims'], none: [] };
  expect(attributesText(all)).toBe('desk=claims; harbours=Holm, Skerry; none=');
  expect(attributesOf(attributesText(all))).toEqual(all);
  expect(attributesOf(' harbours = Holm ,, Skerry ; ')).toEqual({ harbours: ['Holm', 'Skerry'] });
  expect(attributesOf('rule=a=b')).toEqual({ rule: ['a=b'] });
  expect(attributesOf('no sign')).toEqual({ 'no sign': [] });
  expect(attributesOf('')).toEqual({});
});

test('a shelf is seen by whom nothing limits to others', () => {
  const person = (name: string, more: Partial<Person>): Person => ({
    name,
    role: 'reader',
    shelves: [],
    attributes: {},
    groups: [],
    signs_in: [],
    made_at: '',
    ...more,
  });
  const people = [
    person('all', {}),
    person('own', { shelves: ['Quay'] }),
    person('other', { shelves: ['Bridge'] }),
    person('by a group', { groups: ['q'] }),
    person('both', { shelves: ['Bridge'], groups: ['q'] }),
    person('admin', { role: 'admin', groups: ['b'] }),
    person('made admin', { groups: ['b', 'a'] }),
    person('away', { away_at: '2026-11-23T08:00:00Z' }),
  ];
  const groups: Group[] = [
    { name: 'q', members: [], shelves: ['Quay'] },
    { name: 'b', members: [], shelves: ['Bridge'] },
    { name: 'a', members: [], role: 'admin' },
  ];
  expect(whoSees('Quay', people, groups).map((p) => p.name)).toEqual(['all', 'own', 'by a group', 'both', 'admin', 'made admin']);
});
