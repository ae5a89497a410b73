// How this browser's person wants CSV. It is kept in the browser: another machine may have another spreadsheet program.

export type CsvForm = { separator: 'comma' | 'semicolon' | 'tab'; decimal: 'point' | 'comma'; dates: string; mark: boolean };

/** The form of RFC 4180. */
export const plainCsv: CsvForm = { separator: 'comma', decimal: 'point', dates: '', mark: false };

/** The patterns of days that are offered; none is ISO 8601. */
export const csvDates = ['', 'dd.MM.yyyy', 'dd/MM/yyyy', 'MM/dd/yyyy', 'd MMM yyyy'];

const key = 'pikegate-csv';

export function csvForm(): CsvForm {
  try {
    return { ...plainCsv, ...(JSON.parse(localStorage.getItem(key) ?? '{}') as Partial<CsvForm>) };
  } catch {
    return plainCsv; // nothing, or nothing that can be read, is kept
  }
}

export function keepCsvForm(form: CsvForm) {
  localStorage.setItem(key, JSON.stringify(form));
}

/** What a request for CSV says of its form. */
export function queryOfCsv(form: CsvForm): Record<string, string> {
  const query: Record<string, string> = { safe: 'true' };
  if (form.separator !== 'comma') query.separator = form.separator;
  if (form.decimal !== 'point') query.decimal = form.decimal;
  if (form.dates) query.dates = form.dates;
  if (form.mark) query.mark = 'true';
  return query;
}
