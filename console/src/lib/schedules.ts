// Calls about schedules, and about the mails that the mail stand-in keeps.
import { call, decoded, post, put } from './api';
import type { components } from './api.gen';

type Schemas = components['schemas'];
export type Schedule = Schemas['ScheduleInfo'];
type NewSchedule = Schemas['NewSchedule'];
export type KeptMail = Schemas['KeptMail'];

const at = (name: string) => `/schedules/${encodeURIComponent(name)}`;

export async function listSchedules(): Promise<Schedule[]> {
  return (await decoded<Schemas['ScheduleList']>(call('/schedules', {}))).schedules;
}

export const showSchedule = (name: string): Promise<Schedule> => decoded(call(at(name), {}));

export const setSchedule = (name: string, schedule: NewSchedule): Promise<Schedule> => decoded(put(at(name), schedule));

export const runSchedule = (name: string): Promise<Schedule> => decoded(post(`${at(name)}/runs`, {}));

export async function dropSchedule(name: string): Promise<void> {
  await call(at(name), { method: 'DELETE' });
}

export async function listMail(): Promise<KeptMail[]> {
  return (await decoded<Schemas['MailList']>(call('/mail', {}))).mails;
}

export const showMail = (name: string): Promise<KeptMail> => decoded(call(`/mail/${encodeURIComponent(name)}`, {}));
