// Who asks, as the service knows them.
import { askAs } from './api';

let person = $state({ name: '', role: '', groups: [] as string[] });
let signsIn = $state(false); // whether people sign in to this service
let seen = $state(''); // as whom reports are seen, '' for oneself

export const currentPerson = () => person;

export function setPerson(name: string, role: string, groups: string[] = [], doSignIn = signsIn): void {
  person = { name, role, groups };
  signsIn = doSignIn;
}

export const doSignIn = () => signsIn;

/** As whom reports are seen, '' for oneself. */
export const seenAs = () => seen;

export function seeAs(name: string): void {
  seen = name;
  askAs(name);
}

/** Whether links into the workroom lead somewhere. */
export const isDeveloper = () => person.role === 'developer' || person.role === 'admin';

/** The page of the workroom at the place that a condition is defined at, told as in query late-sailings:7:7. */
export function workroomAt(at: string): string {
  const m = /^(\S+) (\S+):(\d+):(\d+)$/.exec(at);
  return m ? `/workroom/${m[1]}/${encodeURIComponent(m[2]!)}?at=${m[3]}:${m[4]}` : '/workroom';
}
