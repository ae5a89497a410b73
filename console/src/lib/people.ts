// Calls about who may do what: one's own account, and for admins everybody's.
import { call, decoded, post, put } from './api';
import type { components } from './api.gen';

type Schemas = components['schemas'];
export type Account = Schemas['Account'];
export type Pass = Schemas['Pass'];
export type Person = Schemas['Person'];
export type Role = Person['role'];
export type AuditEntry = Schemas['AuditEntry'];

export async function signIn(name: string, password: string): Promise<void> {
  await post('/session', { name, password });
}

export async function signOut(everywhere: boolean): Promise<void> {
  await call(everywhere ? '/session?everywhere=true' : '/session', { method: 'DELETE' });
}

export const showAccount = (): Promise<Account> => decoded(call('/account', {}));

export async function changePassword(before: string, password: string): Promise<void> {
  await put('/account/password', { before, password });
}

export const makeToken = (name: string, role: Role, days: number): Promise<Schemas['MadeToken']> => decoded(post('/account/tokens', { name, role, days }));

export async function endPass(id: number): Promise<void> {
  await call(`/account/passes/${id}`, { method: 'DELETE' });
}

export async function listPeople(): Promise<Person[]> {
  return (await decoded<Schemas['PersonList']>(call('/people', {}))).people;
}

export const addPerson = (name: string, password: string, role: Role): Promise<Person> => decoded(post('/people', { name, password, role }));

export const changePerson = (name: string, change: Schemas['PersonChange']): Promise<Person> => decoded(put(`/people/${encodeURIComponent(name)}`, change));

export type Group = Schemas['Group'];

export async function listGroups(): Promise<Group[]> {
  return (await decoded<Schemas['GroupList']>(call('/groups', {}))).groups;
}

export const setGroup = (group: Group): Promise<Group> => decoded(put('/groups', group));

export async function dropGroup(name: string): Promise<void> {
  await call(`/groups/${encodeURIComponent(name)}`, { method: 'DELETE' });
}

/** Who sees the reports of a shelf: everybody whom nothing limits to other shelves, of those who may sign in. */
export function whoSees(shelf: string, people: Person[], groups: Group[]): Person[] {
  return people.filter((person) => {
    if (person.away_at) return false;
    const own = groups.filter((group) => person.groups.includes(group.name));
    const limits = [...person.shelves, ...own.flatMap((group) => group.shelves ?? [])];
    return person.role === 'admin' || own.some((group) => group.role === 'admin') || limits.length === 0 || limits.includes(shelf);
  });
}

type Attributes = Person['attributes'];

/** Attributes as one types them: harbours=Holm, Skerry; desk=claims. */
export const attributesText = (all: Attributes): string =>
  Object.keys(all)
    .sort()
    .map((name) => `${name}=${(all[name] ?? []).join(', ')}`)
    .join('; ');

/** Attributes of what was typed. A part without a name and a sign is told to the service as it stands, which refuses it. */
export function attributesOf(text: string): Attributes {
  const all: Record<string, string[]> = {};
  for (const part of text.split(';').filter((p) => p.trim())) {
    const [name, ...rest] = part.split('=') as [string, ...string[]];
    all[name.trim()] = rest
      .join('=')
      .split(',')
      .map((value) => value.trim())
      .filter(Boolean);
  }
  return all;
}

export async function listAudit(before = 0): Promise<AuditEntry[]> {
  return (await decoded<Schemas['AuditList']>(call(`/audit?limit=100&before=${before}`, {}))).entries;
}
