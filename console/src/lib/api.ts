// Calls of the service's API. The types are made from its OpenAPI document.
import { say } from './words';
import type { components } from './api.gen';
import { csvForm, queryOfCsv } from './csv';

type Schemas = components['schemas'];
export type ReportSummary = Schemas['ReportSummary'];
export type ReportInfo = Schemas['ReportInfo'];
export type PromptInfo = Schemas['PromptInfo'];
export type Offer = Schemas['Offer'];
export type Understanding = Schemas['Understanding'];
export type Understood = Schemas['Understood'];
export type Fault = Schemas['Fault'];
type Problem = Schemas['Problem'];
export type Row = Schemas['Result']['rows'][number];
/** A section with the rows that are here, and once it has ended what is told of it. */
export type Shown = Schemas['SectionInfo'] & Partial<Omit<Schemas['Section'], 'section' | 'kind' | 'query' | 'label'>> & { rows: Row[]; ended: boolean };
/** A result, whose receipt comes once the evidence is counted. Of a report that is one table it has one section. */
export type Result = { sections: Shown[]; several: boolean; notes?: string[]; receipt?: Receipt };
export type View = Schemas['View'];
export type OtherPeriod = Schemas['OtherPeriod'];
export type Receipt = Schemas['Receipt'];
export type Progress = Schemas['Progress'];
type ReceiptList = Schemas['ReceiptList'];
export type Evidence = Schemas['Evidence'];
export type Comparison = Schemas['Comparison'];
export type Matches = Schemas['Matches'];
export type Histogram = Schemas['Histogram'];
export type Column = Schemas['Column'];
export type Choice = Schemas['Choice'];
type ChoiceList = Schemas['ChoiceList'];
type About = Schemas['About'];
export type Answer = string | string[] | { start: string; end: string } | null;
export type Answers = Record<string, Answer>;

/** A request that the service did not carry out, with what it said of it. */
export class Refused extends Error {
  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

/** What is wrong with one thing, and what would be right. */
export const faultText = (f: Fault): string => (f.suggestions?.length ? say('{0}; did you mean “{1}”?', f.message, f.suggestions[0]) : f.message);

/** What a failure tells. */
export const messageOf = (cause: unknown): string => (cause instanceof Error ? cause.message : String(cause));

/** A service that did not answer, or an answer that broke off. */
export class Unreached extends Error {}

/** Records that broke off on their way, with the receipt that tells why. */
export class BrokeOff extends Unreached {
  constructor(
    message: string,
    readonly receipt: string,
    options: ErrorOptions,
  ) {
    super(message, options);
  }
}

let as = ''; // the person as whom reports are seen, '' for oneself

export function askAs(name: string): void {
  as = name;
}

export async function call(path: string, init: RequestInit): Promise<Response> {
  let response: Response;
  const headers = new Headers(init.headers);
  if (as && /^\/(reports|receipts)\b/.test(path)) headers.set('Pikegate-As', encodeURIComponent(as));
  try {
    response = await fetch(`/api/v1${path}`, { ...init, headers });
  } catch (cause) {
    if (init.signal?.aborted) throw cause;
    throw new Unreached(say('The service does not answer. Your answers are kept; try again in a moment.'), { cause });
  }
  if (response.ok) return response;
  const problem: Problem | undefined = await response.json().catch(() => undefined);
  if (problem?.code === 'sign_in_required') dispatchEvent(new Event('signinrequired'));
  if (problem?.code) throw new Refused(problem);
  throw new Unreached(say('The service answered with {0} and no words. Try again in a moment.', response.status));
}

export async function decoded<T>(response: Promise<Response>, signal?: AbortSignal): Promise<T> {
  const whole = await response;
  try {
    return (await whole.json()) as T;
  } catch (cause) {
    if (signal?.aborted) throw cause;
    throw new Unreached(say('The records broke off on their way. Run it again.'), { cause });
  }
}

function sent(method: 'POST' | 'PUT', path: string, body: unknown, signal?: AbortSignal): Promise<Response> {
  return call(path, { method, headers: { 'Content-Type': 'application/json' }, body: JSON.stringify(body), signal });
}

export const post = (path: string, body: unknown, signal?: AbortSignal) => sent('POST', path, body, signal);
export const put = (path: string, body: unknown) => sent('PUT', path, body);

/**
 * A call about a report. One whose name tells its kind, as in query:late-sailings, is answered by one's drafts; behind
 * an @ stands the source that all its datasets are read from, where that is another one.
 */
export function reportPath(name: string, rest = '', query: Record<string, string> = {}): string {
  const all = new URLSearchParams(query);
  const [of, source] = name.split('@') as [string, string?];
  if (of.includes(':')) all.set('drafts', 'true');
  if (source) all.set('source', source);
  return `/reports/${encodeURIComponent(of)}${rest}${all.size > 0 ? `?${all}` : ''}`;
}

/** Answers, and the day to take for today where that is another one. */
export type Asked = { answers: Answers; as_of?: string };

export function about(): Promise<About> {
  return decoded(call('/about', {}));
}

export async function listReports(search: string, signal?: AbortSignal): Promise<ReportSummary[]> {
  const list = await decoded<Schemas['ReportList']>(call(`/reports?search=${encodeURIComponent(search)}`, { signal }), signal);
  return list.reports;
}

export type Line = Schemas['Line'];

/** Reads a line: which report it means, and which answers stand in it. */
export function readLine(text: string, signal?: AbortSignal): Promise<Line> {
  return decoded(post('/line', { text }, signal), signal);
}

export function showReport(name: string, asOf = ''): Promise<ReportInfo> {
  return decoded(call(reportPath(name, '', asOf ? { as_of: asOf } : {}), {}));
}

export function understand(name: string, asked: Asked, signal?: AbortSignal): Promise<Understanding> {
  return decoded(post(reportPath(name, '/answers'), asked, signal), signal);
}

export function listChoices(name: string, prompt: string, answers: Answers, search: string, skip: number, signal?: AbortSignal): Promise<ChoiceList> {
  return decoded(post(reportPath(name, `/prompts/${encodeURIComponent(prompt)}/choices`), { answers, search, skip }, signal), signal);
}

/** What a run tells of itself, one in a line. */
type RunEvent =
  | { event: 'run'; receipt: number }
  | ({ event: 'progress' } & Progress)
  | { event: 'problem'; problem: Problem }
  | { event: 'start'; columns: Column[]; notes?: string[] }
  | ({ event: 'section' } & Schemas['SectionInfo'])
  | { event: 'row'; values: Row }
  | { event: 'rows_end' }
  | ({ event: 'section_end' } & Partial<Schemas['Section']>)
  | { event: 'receipt'; receipt: Receipt };

/** What is asked of a run: its answers, or the receipt of one whose rows are kept. */
export type Wanted = (Asked & { evidence: true | 'whole'; go_on: boolean } & { of?: undefined }) | { of: number };

/** What is told of a run while it goes on. */
export type Told = {
  /** Whatever sections are whole. */
  rows: (rows: Result) => void;
  /** The number of its receipt, and now and then how far it is. */
  progress: (receipt: number, progress?: Progress) => void;
};

/**
 * Runs a report. What is here is handed on whenever a section is whole; what comes back once the evidence
 * is counted has the receipt too.
 */
export async function runReport(name: string, wanted: Wanted, limit: number, view: View, tell: Told, signal: AbortSignal): Promise<Result> {
  const response = await post(reportPath(name, '/runs', { output: 'events' }), { ...wanted, limit, view }, signal);
  let number = 0;
  const result: Result = { sections: [], several: false };
  try {
    for await (const line of linesOf(response.body!)) {
      const told = JSON.parse(line) as RunEvent;
      const last = result.sections.at(-1);
      if (told.event === 'run') tell.progress((number = told.receipt));
      else if (told.event === 'progress') tell.progress(number, told);
      else if (told.event === 'problem') throw new Refused(told.problem);
      else if (told.event === 'start') {
        result.sections.push({ section: 1, kind: 'table', query: '', label: '', columns: told.columns, rows: [], ended: false });
        result.notes = told.notes;
      } else if (told.event === 'section') {
        result.several = true;
        result.sections.push({ ...told, rows: [], ended: false });
      } else if (told.event === 'row') last!.rows.push(told.values);
      else if (told.event === 'receipt') return withReceipt(result, told.receipt);
      else {
        if (told.event === 'section_end') Object.assign(last!, told);
        last!.ended = true;
        tell.rows({ ...result, sections: [...result.sections] });
      }
    }
    throw new Error('the receipt is missing');
  } catch (cause) {
    if (signal.aborted || cause instanceof Refused) throw cause;
    const receipt = receiptOf(response);
    const told = receipt ? await showReceipt(receipt).catch(() => undefined) : undefined;
    throw new BrokeOff(say('The records broke off on their way. {0} Run it again.', told?.says ?? '').replace('  ', ' '), receipt && `/receipts/${receipt}`, {
      cause,
    });
  }
}

/** The number of the receipt that the header Link of a response leads to; '' for none. */
const receiptOf = (response: Response) => /\/receipts\/(\d+)/.exec(response.headers.get('Link') ?? '')?.[1] ?? '';

/** A result with its receipt, and its sections with what that tells of them. */
function withReceipt(result: Result, receipt: Receipt): Result {
  const { totals, subtotals, left_out, groups, records, compare } = receipt;
  const told = result.several ? (receipt.sections ?? []) : [{ totals, subtotals, left_out, groups, records, compare }];
  return { ...result, receipt, sections: result.sections.map((s, i) => ({ ...s, ...told[i] })) };
}

/** The lines of a stream, each when it is whole. */
export async function* linesOf(stream: ReadableStream<Uint8Array<ArrayBuffer>>): AsyncGenerator<string> {
  const reader = stream.pipeThrough(new TextDecoderStream()).getReader();
  let rest = '';
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    const lines = (rest + part.value).split('\n');
    rest = lines.pop()!;
    yield* lines;
  }
  if (rest) yield rest;
}

/** Further rows of a section of a run: they go on from where its last page ended, as that told, or behind so many. */
export function moreRows(
  name: string,
  receipt: number,
  section: number,
  limit: number,
  from: { after: string } | { skip: number },
  view: View,
): Promise<Schemas['Result']> {
  return decoded(post(reportPath(name, '/runs', { output: 'json', section: String(section) }), { of: receipt, limit, view, ...from }));
}

/** Cancels a run that is under way, which frees its database. One that has ended meanwhile has. */
export async function cancelRun(receipt: number): Promise<void> {
  await post(`/receipts/${receipt}/cancel`, undefined).catch((cause: unknown) => {
    if (!(cause instanceof Refused && cause.problem.status === 409)) throw cause;
  });
}

export function countMatches(name: string, asked: Asked, signal: AbortSignal): Promise<Matches> {
  return decoded(post(reportPath(name, '/matches'), asked, signal), signal);
}

export function showHistogram(name: string, prompt: string, month = ''): Promise<Histogram> {
  return decoded(call(reportPath(name, `/prompts/${encodeURIComponent(prompt)}/histogram`, { month }), {}));
}

/** The days of a month, ISO, that have records. */
export async function daysWithRecords(name: string, prompt: string, month: string): Promise<Set<string>> {
  const { units } = await showHistogram(name, prompt, month);
  return new Set(units.filter((u) => u.records > 0).map((u) => u.first));
}

export function listReceipts(query: string, signal?: AbortSignal): Promise<ReceiptList> {
  return decoded(call(`/receipts?${query}`, { signal }), signal);
}

export function showReceipt(id: string): Promise<Receipt> {
  return decoded(call(`/receipts/${encodeURIComponent(id)}`, {}));
}

export function runAgain(id: number, asOf: string): Promise<Comparison> {
  return decoded(post(`/receipts/${id}/again`, asOf ? { as_of: asOf } : {}));
}

/** What is downloaded: all records of a run, or of one of its sections where it is not 0. */
export type Download = { output: 'csv' | 'xlsx' | 'pdf'; section: number; view: View } & ({ of: number } | Asked);

/**
 * All records as CSV that a spreadsheet program may open, or as a workbook, which has all sections where none is
 * named; and the number of the receipt that tells of them. It fails where the stream broke off, so that no half file is taken for a whole
 * one.
 */
export async function download(name: string, { output, section, ...wanted }: Download): Promise<{ file: Blob; receipt: string }> {
  const query: Record<string, string> = output === 'csv' ? { output, ...queryOfCsv(csvForm()) } : { output };
  if (section > 0) query.section = String(section);
  const response = await post(reportPath(name, '/runs', query), wanted);
  try {
    return { file: await response.blob(), receipt: receiptOf(response) };
  } catch (cause) {
    throw new Unreached(say('The download broke off. Nothing was saved; try again.'), { cause });
  }
}

export type Kept = Schemas['Kept'];
export type Link = Schemas['Link'];
export type MadeLink = Schemas['MadeLink'];
type Saved = { name: string; answers: Answers; view: View; frozen: boolean; as_of?: string };

/** Answers that one kept or others share: of a report, or of all. */
export async function listKept(report = ''): Promise<Kept[]> {
  const list = await decoded<Schemas['KeptList']>(call(report ? `/kept?report=${encodeURIComponent(report)}` : '/kept', {}));
  return list.kept;
}

export function keepAnswers(report: string, kept: Saved & { shared: boolean; groups: string[] }): Promise<Kept> {
  return decoded(post(reportPath(report, '/kept'), kept));
}

export async function forgetKept(id: number): Promise<void> {
  await call(`/kept/${id}`, { method: 'DELETE' });
}

export async function listLinks(): Promise<Link[]> {
  const list = await decoded<Schemas['LinkList']>(call('/links', {}));
  return list.links;
}

/** Makes a live link, of which CSV is written in the form that this browser's person wants. */
export function makeLink(report: string, link: Saved & { format: 'csv' | 'json'; section: number }): Promise<MadeLink> {
  return decoded(post(reportPath(report, '/links', link.format === 'csv' ? queryOfCsv(csvForm()) : {}), link));
}

export async function revokeLink(id: number): Promise<void> {
  await call(`/links/${id}`, { method: 'DELETE' });
}
