// The console's texts, in the language of who reads them. In the sources they stand in English; words.json lists
// them all. A translation is a file src/words/LANGUAGE.json that has, for each of them, the text in that language.
const translations = import.meta.glob<Record<string, string>>('../words/*.json', { import: 'default' });

/** The language of those made-up texts that show whether a page is fit for translation, written from right to left. */
const madeUp = 'ar-XB';

const offered = [...Object.keys(translations).map((path) => /([\w-]+)\.json$/.exec(path)![1]!), madeUp, 'en'];

/** The first of the languages one prefers that is offered: as it is, else without its region. */
function languageFor(preferred: readonly string[]): string {
  for (const wanted of preferred) {
    const found = offered.find((l) => l === wanted) ?? offered.find((l) => l === wanted.split('-')[0]);
    if (found) return found;
  }
  return 'en';
}

/** The language of the console's texts, as BCP 47 names it. */
export const language = languageFor(navigator.languages);

const texts: Record<string, string> = (await translations[`../words/${language}.json`]?.()) ?? {};

const isRightToLeft = /^(ar|arc|ckb|dv|fa|he|ku-Arab|ps|sd|ug|ur|yi)(-|$)/.test(language);
document.documentElement.lang = language;
document.documentElement.dir = isRightToLeft ? 'rtl' : 'ltr';

function inLanguage(text: string): string {
  return language === madeUp ? `⟦${text}⟧` : (texts[text] ?? text);
}

const filled = (text: string, values: unknown[]) => text.replace(/\{(\d)\}/g, (_, i: string) => String(values[Number(i)] ?? ''));

/** A text of the console: {0}, {1} in it are the values that follow. */
export function say(text: string, ...values: unknown[]): string {
  return filled(inLanguage(text), values);
}

const rules = new Intl.PluralRules(language);
const forms = rules.resolvedOptions().pluralCategories;
const kinds = ['zero', 'one', 'two', 'few', 'many', 'other'].filter((k) => forms.includes(k as Intl.LDMLPluralRule));

/** So many of something: of the forms of the text, parted by a stroke, that which fits the number. A language has as many as CLDR says, in the order zero, one, two, few, many, other. */
export function counted(n: number, text: string): string {
  const all = inLanguage(text).split('|');
  return filled(all[kinds.indexOf(rules.select(n))] ?? all.at(-1)!, [numberText(n)]);
}

const [group, point] = (() => {
  const parts = new Intl.NumberFormat(navigator.languages[0], { numberingSystem: 'latn', useGrouping: true }).formatToParts(-1234567.5);
  return [parts.find((p) => p.type === 'group')?.value ?? '', parts.find((p) => p.type === 'decimal')?.value ?? '.'];
})();

/** Digits as they were sent, with the marks between them that the reader's browser uses: no decimal is rounded. */
export function grouped(digits: string): string {
  const m = /^(-?)(\d+)(?:\.(\d+))?$/.exec(digits);
  return m ? m[1] + m[2]!.replace(/\B(?=(\d{3})+$)/g, group) + (m[3] === undefined ? '' : point + m[3]) : digits;
}

/** The digits of a number as they were sent, with the reader's mark before the decimals. */
export const pointed = (digits: string) => (/^-?\d+\.\d+$/.test(digits) ? digits.replace('.', point) : digits);

/** A number as the reader writes it. */
export const numberText = (n: number) => grouped(String(n));

const [weekdays, months, longMonths] = (() => {
  const names = (many: number, of: (i: number) => Date, form: Intl.DateTimeFormatOptions) => {
    const format = new Intl.DateTimeFormat(language === madeUp ? 'en' : language, { ...form, calendar: 'gregory', timeZone: 'UTC' });
    return Array.from({ length: many }, (_, i) => format.format(of(i)));
  };
  const ofMonth = (i: number) => new Date(Date.UTC(2000, i, 1));
  return [
    names(7, (i) => new Date(Date.UTC(2000, 0, 2 + i)), { weekday: 'short' }),
    names(12, ofMonth, { month: 'short' }),
    names(12, ofMonth, { month: 'long' }),
  ];
})();

/** The names of months, whole and short, in the language of the texts. */
export const monthName = (month: number) => longMonths[month - 1]!;
export const shortMonth = (month: number) => months[month - 1]!;

/** A day, of a date at midnight UTC: the month by name, so that its place among the digits is in no doubt. The service says it so too. */
export const dayText = (at: Date, year: string) => `${weekdays[at.getUTCDay()]} ${at.getUTCDate()} ${months[at.getUTCMonth()]} ${year}`;

/** A number in few digits: 1.25M. */
export const roundText = (n: number) => n.toLocaleString(navigator.languages[0], { notation: 'compact', maximumFractionDigits: 2, numberingSystem: 'latn' });
