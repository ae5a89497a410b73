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

export async function listAudit(before = 0): Promise<AuditEntry[]> {
  return (await decoded<Schemas['AuditList']>(call(`/audit?limit=100&before=${before}`, {}))).entries;
}
