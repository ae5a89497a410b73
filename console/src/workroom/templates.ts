// Definitions to start from, made of a developer's own columns.
import { say } from '../lib/words';
import type { Answers, Receipt } from '../lib/api';
import type { ColumnWord, OpWord, Words } from './api';

const isDated = (c: ColumnWord) => ['date', 'datetime', 'instant'].includes(c.type);
const isNumeric = (c: ColumnWord) => ['integer', 'decimal', 'number'].includes(c.type);

/** A scalar as YAML that means this text, whatever it is. */
export const quoted = (text: string) =>
  /^[A-Za-z][\w ,.()?-]*$/.test(text) && !/^(true|false|yes|no|null|on|off|y|n)$/i.test(text) && !text.endsWith(' ') ? text : JSON.stringify(text);

/** The name of a column as YAML, with a word behind it. */
const keyOf = (column: string, behind = '') => (/^[a-z_]\w*$/i.test(column) ? column + behind : JSON.stringify(column + behind));

/** A question for what a column is compared with: its type follows from how. */
export function promptText(name: string, column: ColumnWord, op: OpWord, dataset: string): string {
  const label = column.label.toLowerCase();
  const lines: Record<OpWord['form'], string[]> = {
    period: [
      `ask: ${quoted(`Which days (${label})?`)}`,
      'type: period',
      'required: true',
      'default: last month',
      'offer: [yesterday, last 7 days, last month, year to date]',
    ],
    day: [`ask: ${quoted(`Which day (${label})?`)}`, 'type: day', 'required: true', 'default: today'],
    day_list: [`ask: ${quoted(`Which days (${label})?`)}`, 'type: days'],
    range: [`ask: ${quoted(`From how much through how much (${label})?`)}`, 'type: number-range', ...(column.unit ? [`unit: ${quoted(column.unit)}`] : [])],
    times: [`ask: ${quoted(`In which part of the day (${label})?`)}`, 'type: time-range'],
    recurs: [
      `ask: ${quoted(`In which months (${label})?`)}`,
      'type: choice',
      'many: true',
      'choices: [January, February, March, April, May, June, July, August, September, October, November, December]',
    ],
    values: [`ask: ${quoted(`Which (${label})?`)}`, 'type: choice', 'many: true', `choices: {of: ${dataset}, value: ${keyOf(column.name)}, count: true}`],
    value: [
      `ask: ${quoted(`Which ${label}?`)}`,
      column.type === 'yes-no' ? 'type: yes-no' : isNumeric(column) ? 'type: number' : 'type: text',
      ...(column.unit ? [`unit: ${quoted(column.unit)}`] : []),
    ],
    none: [],
  };
  return ['pikegate: 1', `prompt: ${name}`, ...lines[op.form]].join('\n') + '\n';
}

/** What a developer can begin with, as questions that readers ask. */
export const starts = [
  { start: 'between', text: say('Records between two dates'), note: say('a period is asked for') },
  { start: 'day', text: say('Records of one day'), note: say('a day is asked for') },
  { start: 'month', text: say('How many by month'), note: say('a chart and a table') },
  { start: 'due', text: say('What is due'), note: say('a date in the days to come') },
  { start: 'open', text: say('What is still open'), note: say('a date that is missing') },
  { start: 'all', text: say('All records'), note: say('conditions come later') },
] as const;
export type Start = (typeof starts)[number]['start'];

export type Made = { kind: string; name: string; text: string };

/** The definitions of a report that answers such a question: what it asks, its query, and the report itself. */
export function definitionsFor(start: Start, name: string, title: string, words: Words, dateColumn: string): Made[] {
  const dated = words.columns.find((c) => c.name === dateColumn) ?? words.columns.find(isDated);
  const date = dated?.name ?? '';
  const key = (column: string) => keyOf(column);
  const shown = [...new Set([date, ...words.columns.map((c) => c.name)])].filter(Boolean).slice(0, 8).map(key).join(', ');
  const prompt = `${name}-${start === 'day' ? 'day' : 'period'}`;
  const label = (dated?.label ?? '').toLowerCase();
  const made: Made[] = [];
  const query = [`pikegate: 1`, `query: ${name}`, `of: ${words.dataset}`];
  if (start === 'between' || start === 'month')
    made.push({
      kind: 'prompt',
      name: prompt,
      text: `pikegate: 1\nprompt: ${prompt}\nask: ${quoted(`Which days (${label})?`)}\ntype: period\nrequired: true\ndefault: ${start === 'month' ? 'year to date' : 'last month'}\noffer: [yesterday, last 7 days, last month, last quarter, year to date]\n`,
    });
  if (start === 'day')
    made.push({
      kind: 'prompt',
      name: prompt,
      text: `pikegate: 1\nprompt: ${prompt}\nask: ${quoted(`Which day (${label})?`)}\ntype: day\nrequired: true\ndefault: yesterday\n`,
    });
  if (start === 'due')
    made.push({
      kind: 'prompt',
      name: prompt,
      text: `pikegate: 1\nprompt: ${prompt}\nask: ${quoted(`Due on which days (${label})?`)}\ntype: period\nrequired: true\ndefault: next 30 days\noffer: [today, next 7 days, next 30 days, this month]\n`,
    });
  if (start !== 'month') query.push(`show: [${shown}]`);
  if (start === 'between' || start === 'month' || start === 'due') query.push('where:', '  all:', `    - ${key(date)}: {within: {prompt: ${prompt}}}`);
  if (start === 'day') query.push('where:', '  all:', `    - ${key(date)}: {is: {prompt: ${prompt}}}`);
  if (start === 'open') query.push('where:', '  all:', `    - ${key(date)}: missing`);
  if (start === 'month')
    query.push(`group: [{${key(date)}: {by: month, fill: true}}]`, 'summaries:', `  records: {count: records, label: ${quoted(words.title)}}`);
  else query.push(`sort: [${date && start !== 'open' ? keyOf(date, start === 'due' ? '' : ' descending') : key(words.key[0] ?? words.columns[0]!.name)}]`);
  made.push({ kind: 'query', name, text: query.join('\n') + '\n' });
  const sections =
    start === 'month'
      ? [
          `  - figure: {query: ${name}, summary: records, label: ${quoted(words.title)}, compare: previous}`,
          `  - chart: {query: ${name}, label: ${quoted(`${words.title} by month`)}, kind: column, across: ${key(date)}, up: records}`,
          `  - table: {query: ${name}, totals: [records]}`,
        ]
      : [`  - table: {query: ${name}}`];
  made.push({ kind: 'report', name, text: [`pikegate: 1`, `report: ${name}`, `title: ${quoted(title)}`, 'sections:', ...sections].join('\n') + '\n' });
  return made;
}

/** A text as a name of a definition. */
export const nameOf = (text: string) =>
  text
    .normalize('NFKD')
    .toLowerCase()
    .replace(/[\u0300-\u036f]/g, '')
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^[^a-z]+|-+$/g, '')
    .slice(0, 100);

/** What a trial brought, as a proof: the answers as they were given, the day, how many records, and the fingerprint of them all. */
export function proofText(name: string, kind: string, of: string, asOf: string, answers: Answers, receipt: Receipt): string {
  const lines = ['pikegate: 1', `proof: ${name}`, `${kind}: ${of}`, `as_of: ${asOf}`];
  if (Object.keys(answers).length > 0) lines.push('answers:', ...Object.entries(answers).map(([prompt, answer]) => `  ${prompt}: ${written(answer)}`));
  lines.push('expect:', `  records: ${receipt.groups ?? receipt.records ?? receipt.rows}`);
  return `${lines.join('\n')}\n`;
}

/** An answer as YAML. */
function written(answer: Answers[string]): string {
  if (answer === null) return 'null';
  if (typeof answer === 'string') return quoted(answer);
  if (Array.isArray(answer)) return `[${answer.map((a) => JSON.stringify(a)).join(', ')}]`;
  return `{start: ${JSON.stringify(answer.start)}, end: ${JSON.stringify(answer.end)}}`;
}

/** Something to begin a definition of a kind with. */
export function beginningOf(kind: string, name: string, dataset: string, source: string): string {
  const rest: Record<string, string[]> = {
    report: [`title: ${quoted(name.replaceAll('-', ' '))}`, 'sections: []'],
    query: [`of: ${dataset}`, 'show: []'],
    prompt: ['ask: ""', 'type: period'],
    filter: [`of: ${dataset}`, 'where:', '  all: []'],
    dataset: [`source: ${source}`, 'table: ""', 'key: []', 'columns: {}'],
    proof: ['query: ""', 'as_of: ""', 'expect:', '  records: 1'],
    period: ['from: 1 Jun', 'through: 31 Aug'],
    source: [`zone: ${Intl.DateTimeFormat().resolvedOptions().timeZone}`],
  };
  return ['pikegate: 1', `${kind}: ${name}`, ...(rest[kind] ?? [])].join('\n') + '\n';
}
