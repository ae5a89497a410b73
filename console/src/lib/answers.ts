// What stands in the fields of a report, and how it becomes answers and a link.
// Nothing here reads a date: the service does.
import type { Answer, Answers, PromptInfo, View } from './api';

export type Field = { start: string; end: string; values: string[] };
export type Fields = Record<string, Field>;

/** Whether a prompt is asked in two fields, of which the first takes a whole answer as well. */
export const hasTwoFields = (p: PromptInfo) => !!p.pair || ['period', 'moment-period', 'time-range', 'number-range'].includes(p.type);

const emptyField = (): Field => ({ start: '', end: '', values: [] });

/** The fields as the prompts' defaults fill them. */
export function defaultFields(prompts: PromptInfo[]): Fields {
  return Object.fromEntries(prompts.map((p) => [p.name, fieldOf(p.default as Answer | number)]));
}

function fieldOf(answer: Answer | number): Field {
  const field = emptyField();
  if (typeof answer === 'string' || typeof answer === 'number') {
    field.start = String(answer);
    field.values = [field.start];
  } else if (Array.isArray(answer)) {
    field.values = answer.map(String);
    field.start = field.values.join('\n');
  } else if (answer) Object.assign(field, { start: answer.start ?? '', end: answer.end ?? '' });
  return field;
}

/** The answers that the fields give. An empty field is an answer left open on purpose. */
export function answersOf(prompts: PromptInfo[], fields: Fields): Answers {
  return Object.fromEntries(prompts.map((p) => [p.name, answerOf(p, fields[p.name] ?? emptyField())]));
}

function answerOf(p: PromptInfo, field: Field): Answer {
  if (p.type === 'choice') return field.values.length > 0 ? field.values : null;
  if (p.type === 'days') return field.start.trim() === '' ? null : field.start.split('\n').filter((line) => line.trim() !== '');
  if (hasTwoFields(p) && field.end.trim() !== '') return { start: field.start, end: field.end };
  return field.start.trim() === '' ? null : field.start;
}

/** The query of a link that opens the report with these answers. */
export function queryOf(prompts: PromptInfo[], fields: Fields): string {
  const query = new URLSearchParams();
  for (const p of prompts) {
    const field = fields[p.name] ?? emptyField();
    if (p.type === 'choice') {
      for (const value of field.values.length > 0 ? field.values : ['']) query.append(p.name, value);
    } else {
      query.append(p.name, field.start);
      if (hasTwoFields(p) && field.end) query.append(`${p.name}.end`, field.end);
    }
  }
  return query.toString();
}

/** The fields as a link fills them; what it does not name keeps its default. */
export function fieldsFromQuery(prompts: PromptInfo[], query: URLSearchParams): Fields {
  const fields = defaultFields(prompts);
  for (const p of prompts) {
    if (!query.has(p.name) && !query.has(`${p.name}.end`)) continue;
    const values = query.getAll(p.name);
    fields[p.name] = { start: values[0] ?? '', end: query.get(`${p.name}.end`) ?? '', values: values.filter((v) => v !== '') };
  }
  return fields;
}

/** What a link has of how a reader sees the main table, after what it has of the answers. */
export function queryOfView(view: View): string {
  const query = new URLSearchParams();
  if (view.columns?.length) query.append('view.columns', view.columns.join(','));
  if (view.sort?.length) query.append('view.sort', view.sort.join(','));
  if (view.group) query.append('view.group', view.group);
  if (view.by) query.append('view.by', view.by);
  return query.toString();
}

/** How a link has a reader see the main table. */
export function viewFromQuery(query: URLSearchParams): View {
  const list = (name: string) => (query.get(name) ?? '').split(',').filter((item) => item !== '');
  const view: View = {};
  if (list('view.columns').length > 0) view.columns = list('view.columns');
  if (list('view.sort').length > 0) view.sort = list('view.sort');
  if (query.get('view.group')) view.group = query.get('view.group')!;
  if (query.get('view.by')) view.by = query.get('view.by') as View['by'];
  return view;
}

/** The query of a link that opens a report with answers as they were entered. */
export function queryOfEntered(entered: Record<string, unknown>): string {
  const query = new URLSearchParams();
  for (const [name, answer] of Object.entries(entered)) {
    if (Array.isArray(answer)) answer.forEach((value) => query.append(name, String(value)));
    else if (answer && typeof answer === 'object') {
      const { start, end } = answer as { start?: string; end?: string };
      query.append(name, start ?? '');
      query.append(`${name}.end`, end ?? '');
    } else query.append(name, answer === null || answer === undefined ? '' : String(answer));
  }
  return query.toString();
}

/** The link that opens a report with the answers of a run. */
export function linkOfEntered(r: { report: string; entered?: Record<string, unknown>; view?: View }): string {
  return linkOfAnswers({ report: r.report, answers: r.entered ?? {}, view: r.view ?? {} });
}

/** The link that opens a report with kept answers. */
export function linkOfAnswers(k: { report: string; answers: Record<string, unknown>; view: View; as_of?: string }): string {
  const asOf = k.as_of ? `view.as_of=${k.as_of}` : '';
  const query = [queryOfEntered(k.answers), queryOfView(k.view), asOf].filter(Boolean).join('&');
  return `/reports/${encodeURIComponent(k.report)}${query ? `?${query}` : ''}`;
}

/** The link that opens a report with the rows that are kept of a run. */
export function linkOfKept(r: { id: number; report: string; entered?: Record<string, unknown>; view?: View }): string {
  const query = [queryOfEntered(r.entered ?? {}), queryOfView(r.view ?? {}), `view.run=${r.id}`].filter(Boolean).join('&');
  return `/reports/${encodeURIComponent(r.report)}?${query}`;
}

/** The link that opens a report with the answers that stand in a line. */
export function linkOfLine(line: { report: string; answers: Record<string, unknown> }): string {
  const query = queryOfEntered(line.answers);
  return `/reports/${encodeURIComponent(line.report)}${query ? `?${query}` : ''}`;
}
