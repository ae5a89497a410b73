// Calls of the API that only the workroom makes.
import type { components } from '../lib/api.gen';
import { call, decoded, post, reportPath, type Asked, type Fault } from '../lib/api';

type Schemas = components['schemas'];
export type Draft = Schemas['Draft'];
export type Part = Schemas['Part'];
export type Entry = Schemas['Entry'];
export type Finding = Schemas['Finding'];
export type Edit = Schemas['DraftEdit'];
export type Words = Schemas['Words'];
export type ColumnWord = Schemas['ColumnWord'];
export type OpWord = Schemas['OpWord'];
export type Listed = Schemas['Listed'];
export type Effect = Schemas['Effect'];
export type Explanation = Schemas['Explanation'];
export type Definition = Schemas['DefinitionText'];
export type Named = Schemas['Named'];
export type Put = Schemas['Put'];
export type Revision = Schemas['Revision'];
export type SourceInfo = Schemas['SourceInfo'];
export type TableKind = Schemas['TableKind'];
export type TableInfo = Schemas['TableInfo'];
export type JoinProposal = Schemas['JoinProposal'];
export type LoadReport = Schemas['Report'];
export type Rehearsal = Schemas['Rehearsal'];
export type Reading = Schemas['Reading'];
export type Setting = Schemas['Change'];

const at = (kind: string, name: string, rest = '') => `/drafts/${encodeURIComponent(kind)}/${encodeURIComponent(name)}${rest}`;
const definition = (kind: string, name: string, rest = '') => `/definitions/${encodeURIComponent(kind)}/${encodeURIComponent(name)}${rest}`;

export const listDefinitions = async () => (await decoded<{ definitions: Definition[] }>(call('/definitions', {}))).definitions;
export const listDrafts = async (everybody = false) => (await decoded<{ drafts: Listed[] }>(call(`/drafts?everybody=${everybody}`, {}))).drafts;
export const getDraft = (kind: string, name: string) => decoded<Draft>(call(at(kind, name), {}));
export const editDraft = (kind: string, name: string, version: number, edits: Edit[]) => decoded<Draft>(post(at(kind, name, '/edits'), { version, edits }));
export const stepDraft = (kind: string, name: string, version: number, step: 'undo' | 'redo') => decoded<Draft>(post(at(kind, name, `/${step}`), { version }));
export const takeTheirs = (kind: string, name: string, version: number, take: string[]) => decoded<Draft>(post(at(kind, name, '/take'), { version, take }));
export const dropDraft = (kind: string, name: string) => call(at(kind, name), { method: 'DELETE' });

export function saveDraft(kind: string, name: string, version: number, text: string): Promise<Draft> {
  const body = JSON.stringify({ version, text });
  return decoded(call(at(kind, name), { method: 'PUT', headers: { 'Content-Type': 'application/json' }, body }));
}

/** How many records the definition would bring with each of some lists of edits made in it. */
export async function countVariants(kind: string, name: string, asked: Asked, variants: Edit[][], signal: AbortSignal): Promise<Schemas['Counted'][]> {
  const body = { ...asked, variants: variants.map((edits) => ({ edits })) };
  return (await decoded<Schemas['VariantCounts']>(post(at(kind, name, '/counts'), body, signal), signal)).counts;
}

export const listWords = (dataset: string) => decoded<Words>(call(`/drafts/words?dataset=${encodeURIComponent(dataset)}`, {}));
export const listReadings = async (dataset: string) =>
  (await decoded<{ readings: Reading[] }>(call(`/drafts/readings?dataset=${encodeURIComponent(dataset)}`, {}))).readings;
export const readPhrase = (text: string, asOf: string, day: boolean, signal?: AbortSignal) =>
  decoded<Schemas['Meaning']>(call(`/drafts/phrase?${new URLSearchParams({ text, as_of: asOf, day: String(day) })}`, { signal }), signal);
export const publishDrafts = (drafts: Named[]) => decoded<Schemas['PutList']>(post('/drafts/publish', { drafts }));
export const checkDrafts = async () => (await decoded<{ findings: Fault[] }>(post('/drafts/check', {}))).findings;
export const effectOfDrafts = (signal?: AbortSignal) => decoded<Effect>(post('/drafts/effect', {}, signal), signal);
export const renameDefinition = (kind: string, name: string, to: string) => decoded<Schemas['PutList']>(post(definition(kind, name, '/rename'), { name: to }));
export const listUses = async (kind: string, name: string) => (await decoded<{ users: Named[] }>(call(definition(kind, name, '/uses'), {}))).users;
export const listRevisions = async (kind: string, name: string) =>
  (await decoded<{ revisions: Revision[] }>(call(definition(kind, name, '/revisions'), {}))).revisions;
export const getRevision = (kind: string, name: string, revision: number) => decoded<Definition>(call(definition(kind, name, `?revision=${revision}`), {}));
export const listDifference = async (kind: string, name: string, from: number, to: number) =>
  (await decoded<{ settings: Setting[] }>(call(definition(kind, name, `/difference?from=${from}&to=${to}`), {}))).settings;
export const definitionSchema = () => decoded<Schema>(call('/definitions/schema', {}));

export function explain(name: string, asked: Asked, signal: AbortSignal): Promise<Explanation> {
  return decoded(post(reportPath(name, '/explanation'), asked, signal), signal);
}

export function rehearse(name: string): Promise<Rehearsal> {
  return decoded(post(reportPath(name, '/rehearsal'), {}));
}

export const listSources = async () => (await decoded<{ sources: SourceInfo[] }>(call('/sources', {}))).sources;
export const listTables = async (source: string) => (await decoded<{ tables: TableKind[] }>(call(`/sources/${encodeURIComponent(source)}/tables`, {}))).tables;
export const listColumns = async (source: string) =>
  (await decoded<{ tables: TableKind[] }>(call(`/sources/${encodeURIComponent(source)}/tables?columns=true`, {}))).tables;
export const inspectTable = (source: string, table: string) =>
  decoded<TableInfo>(call(`/sources/${encodeURIComponent(source)}/tables/${encodeURIComponent(table)}`, {}));

export const proposeJoins = async (source: string, table: string) =>
  (await decoded<{ joins: JoinProposal[] }>(call(`/sources/${encodeURIComponent(source)}/tables/${encodeURIComponent(table)}/joins`, {}))).joins;

/** Loads a file into a table of the embedded records; dry only looks at it. */
export function loadFile(table: string, file: File, settings: [string, string][]): Promise<LoadReport> {
  return decoded(call(`/loads/${encodeURIComponent(table)}?${new URLSearchParams(settings)}`, { method: 'POST', body: file }));
}

/** Publishes definition files, all or none. */
export const putFiles = (files: { name: string; text: string }[]) => decoded<Schemas['PutList']>(post('/definitions', { files }));

/** A node of the JSON Schema of definitions, as far as the workroom reads it. */
export type Schema = {
  title?: string;
  description?: string;
  type?: string | string[];
  enum?: (string | number)[];
  pattern?: string;
  properties?: Record<string, Schema>;
  required?: string[];
  additionalProperties?: Schema | boolean;
  items?: Schema;
  oneOf?: Schema[];
  $ref?: string;
  $defs?: Record<string, Schema>;
};
