import { numberText, say } from './words';
import { tick, untrack } from 'svelte';
import { answersOf, fieldsFromQuery, queryOf, queryOfView, viewFromQuery, type Field, type Fields } from './answers';
import {
  BrokeOff,
  cancelRun,
  countMatches,
  download,
  type Download,
  messageOf,
  moreRows,
  Refused,
  runReport,
  showReceipt,
  showReport,
  understand,
  type Asked,
  type Matches,
  type Progress,
  type ReportInfo,
  type Result,
  type Understanding,
  type View,
  type Wanted,
} from './api';
import { momentText, recordsOf } from './format';
import { currentUrl, rewrite } from './route.svelte';
import { sayDone } from './word';

const pageSize = 200;
/** How long a run takes, in milliseconds, that is worth a word when it is done. */
const worthAWord = 5000;
/** What a format has no room for, told before so many rows of a table are fetched in it. */
function limitOf(output: Download['output'], rows: number): string {
  const [sheet, paper] = [1_048_575, 20_000];
  if (output === 'xlsx' && rows > sheet) return say('A sheet holds {0} rows: they go on in further sheets. CSV has them in one piece.', numberText(sheet));
  if (output === 'pdf' && rows > paper) return say('A PDF shows the first {0} rows of a table; CSV and XLSX have them all.', numberText(paper));
  return '';
}

/** The most rows of a table that are printed. */
const mostPrinted = 20_000;
/** Rows of a trial, which has no further pages. */
const trialSize = 50;

/** A report with the answers that stand in its fields, what was understood of them, and what came back. */
export class ReportRun {
  report = $state<ReportInfo>();
  fields = $state<Fields>({});
  understanding = $state<Understanding>();
  matches = $state.raw<Matches>();
  result = $state.raw<Result>();
  failed = $state('');
  /** Where the receipt lies of a run that failed. */
  receiptOfFailure = $state('');
  note = $state('');
  running = $state<AbortController>();
  /** The number of the receipt of the run that goes on; 0 as long as it is not told. */
  runningReceipt = $state(0);
  /** How far that is, once it takes a while. */
  progress = $state.raw<Progress>();
  /** The prompts that were answered, or all once a run was asked for. */
  touched = $state<Record<string, boolean>>({});

  #resultQuery = $state(''); // the answers that the result belongs to

  /** The day to take for today, in any form; '' for today. */
  asOf = $state('');
  /** Of a trial: the source that its datasets are read from; '' for their own. */
  source = $state('');
  readonly name = $derived.by(() => (this.source ? `${this.of}@${this.source}` : this.of));
  readonly answers = $derived(this.report ? answersOf(this.report.prompts, this.fields) : {});
  /** How the reader sees the main table. */
  view = $state.raw<View>({});
  readonly asked: Asked = $derived(this.asOf ? { answers: this.answers, as_of: this.asOf } : { answers: this.answers });
  readonly query = $derived(this.#queryWith(this.view));
  readonly faults = $derived(this.understanding?.errors ?? []);
  readonly stale = $derived(!!this.result && this.query !== this.#resultQuery);

  #loadingMore = false;
  /** How the kept rows that are shown are seen; nothing where they came as the run sent them. */
  #seen: View = {};

  /** The query of a link that opens the report with the answers in the fields, seen so. */
  #queryWith(view: View) {
    const asOf = this.asOf && !this.isTrial ? `view.as_of=${encodeURIComponent(this.asOf)}` : '';
    return this.report ? [queryOf(this.report.prompts, this.fields), queryOfView(view), asOf].filter(Boolean).join('&') : '';
  }

  /** A trial is of one's drafts: it has no link, is put on no record, and is loaded by who shows it. */
  constructor(
    private readonly of: string,
    readonly isTrial = false,
    /** Of a trial: whether its definitions can be asked just now. */
    readonly isSound: () => boolean = () => true,
  ) {
    if (!isTrial) void this.load();
    // What was understood is asked for a moment after the last key; an answer to an older
    // question is dropped.
    $effect(() => {
      if (!this.report) return;
      const given = this.asked;
      const stop = new AbortController();
      const timer = setTimeout(
        () => void this.#understand(given, stop.signal).catch(() => {}), // the run says so, where one is asked for
        untrack(() => (this.understanding ? 150 : 0)),
      );
      return () => {
        clearTimeout(timer);
        stop.abort();
      };
    });
  }

  /** Fetches what the report asks; what is answered already stays. */
  async load() {
    try {
      const query = this.isTrial ? new URLSearchParams() : currentUrl().searchParams;
      if (!this.isTrial) this.asOf = query.get('view.as_of') ?? '';
      const report = await showReport(this.name, this.asOf);
      const fields = fieldsFromQuery(report.prompts, query);
      for (const name of Object.keys(fields)) if (this.touched[name]) fields[name] = this.fields[name] ?? fields[name]!;
      this.fields = fields;
      this.report = report;
      if (!this.isTrial) this.view = viewFromQuery(query);
      this.failed = '';
      const kept = Number(query.get('view.run'));
      if (kept > 0) void this.#showKept(kept);
      else if (query.size > 0) void this.run();
    } catch (cause) {
      this.failed = messageOf(cause);
    }
  }

  async #understand(given: Asked, signal: AbortSignal) {
    if (!this.isSound()) return;
    this.understanding = await understand(this.name, given, signal);
    this.matches = undefined;
    if (this.understanding.errors.length === 0) this.matches = await countMatches(this.name, given, signal);
  }

  change(prompt: string, field: Field) {
    this.fields[prompt] = field;
    this.touched[prompt] = true;
    this.narrowed = undefined;
    this.note = this.failed = this.receiptOfFailure = '';
  }

  /** Runs it. False where answers were refused, which are marked then. With whole, all records of a large table are counted. */
  async run(whole = false): Promise<boolean> {
    if (!this.report) return true;
    const given = this.asked;
    return this.#runs(async (stop) => {
      this.understanding = await understand(this.name, given, stop.signal);
      if (this.understanding.errors.length > 0) {
        for (const prompt of this.report!.prompts) this.touched[prompt.name] = true;
        this.failed = say('Nothing was run: some answers need mending. They are marked beside their questions.');
        return undefined;
      }
      if (!this.isTrial) rewrite(`${location.pathname}?${this.query}`);
      return { ...given, evidence: whole ? 'whole' : true, go_on: !this.isTrial };
    });
  }

  /** Shows the rows that are kept of a run. */
  async #showKept(receipt: number) {
    await this.#runs(() => Promise.resolve({ of: receipt }));
    const told = this.result?.receipt;
    if (told?.id === receipt) this.note = say('These are the records as they were read {0}.', momentText(told.started_at));
  }

  /** Brings what wanted says, and shows it. False where that is nothing. */
  async #runs(wants: (stop: AbortController) => Promise<Wanted | undefined>): Promise<boolean> {
    if (this.running) void this.cancel();
    const stop = new AbortController();
    this.running = stop;
    this.failed = this.note = this.receiptOfFailure = '';
    const asked = this.query;
    const view = this.view;
    let shown = false;
    const before = this.result?.sections ?? [];
    const show = (rows: Result) => {
      // Until a section is here the one before stays in its place.
      this.result = rows.several ? { ...rows, sections: [...rows.sections, ...before.slice(rows.sections.length)] } : rows;
      this.#resultQuery = asked;
      this.#seen = {};
      shown = true;
    };
    try {
      const wanted = await wants(stop);
      if (!wanted) return false;
      const started = Date.now();
      const tell = {
        rows: show,
        progress: (receipt: number, progress?: Progress) => {
          if (this.running === stop) [this.runningReceipt, this.progress] = [receipt, progress];
        },
      };
      show(await runReport(this.name, wanted, this.isTrial ? trialSize : pageSize, view, tell, stop.signal));
      if (Date.now() - started > worthAWord) sayDone(this.report!.title, recordsOf(this.result!.receipt!));
    } catch (cause) {
      if (stop.signal.aborted) return true;
      this.failed = messageOf(cause);
      if (shown) this.result = undefined; // they may not be all
      if (cause instanceof Refused) this.receiptOfFailure = cause.problem.instance?.replace('/api/v1', '') ?? '';
      if (cause instanceof BrokeOff) this.receiptOfFailure = cause.receipt;
    } finally {
      if (this.running === stop) {
        this.running = this.progress = undefined;
        this.runningReceipt = 0;
      }
    }
    return true;
  }

  /** Cancels the run that goes on. */
  async cancel() {
    const receipt = this.runningReceipt;
    this.running?.abort();
    this.running = this.progress = undefined;
    this.runningReceipt = 0;
    if (receipt === 0) return;
    try {
      await cancelRun(receipt);
      this.note = say('Cancelled. The database is free.');
    } catch (cause) {
      this.note = messageOf(cause);
    }
  }

  /** Reads further rows of a section of the run that is shown. */
  async more(number: number) {
    const shown = this.result;
    const section = shown?.sections[number - 1];
    const receipt = shown?.receipt;
    if (!section || !receipt?.id || this.#loadingMore || this.stale) return;
    const isMain = number === (receipt.main ?? 1);
    if (isMain && !receipt.next) return;
    this.#loadingMore = true;
    try {
      const next = await moreRows(
        this.name,
        receipt.id,
        number,
        pageSize,
        isMain ? { after: receipt.next! } : { skip: section.rows.length },
        isMain ? this.#seen : {},
      );
      if (this.result !== shown) return;
      const told = next.receipt;
      const counted = section.records !== undefined && told.records !== undefined;
      if (counted && (told.records !== section.records || told.groups !== section.groups))
        this.note = say('The data changed while you were reading. Run again to see them as they are now.');
      else {
        if (!counted && told.data_changed) this.note = say('The data may have changed since the first rows were read. Run again to be certain.');
        const sections = shown.sections.map((s) => (s === section ? { ...s, rows: [...s.rows, ...next.rows] } : s));
        this.result = { ...shown, sections, receipt: isMain ? { ...receipt, next: told.next } : receipt };
      }
    } catch (cause) {
      this.note = messageOf(cause);
    } finally {
      this.#loadingMore = false;
    }
  }

  /** Gives one answer in place of that which was given, and runs again. */
  answer(prompt: string, text: string) {
    this.change(prompt, { start: text, end: '', values: [text] });
    void this.run();
  }

  /** Shows the main table otherwise: the same records where the run that is shown has them, else by a run of its own. */
  see(view: View) {
    const before = this.view;
    this.view = view;
    const receipt = this.result?.receipt;
    if (this.#resultQuery === this.#queryWith(before) && !this.isTrial && receipt?.kept_until && !view.group && !before.group) void this.#seeKept(receipt.id);
    else void this.run();
  }

  async #seeKept(receipt: number) {
    const asked = this.query;
    const number = this.report!.main;
    try {
      const told = await moreRows(this.name, receipt, number, pageSize, { skip: 0 }, this.view);
      if (this.query !== asked || this.result?.receipt?.id !== receipt) return;
      const { columns, rows } = told;
      const { next, totals, subtotals } = told.receipt;
      this.result = {
        ...this.result,
        receipt: { ...this.result.receipt, next },
        sections: this.result.sections.map((s, i) => (i === number - 1 ? { ...s, columns, rows, totals, subtotals } : s)),
      };
      this.#resultQuery = asked;
      this.#seen = this.view;
      rewrite(`${location.pathname}?${asked}`);
    } catch (cause) {
      this.note = messageOf(cause);
    }
  }

  /** What was narrowed to one place of a chart, and the field as it was before. */
  narrowed = $state<{ prompt: string; to: string; before: Field }>();

  /** Narrows the report to one place of a chart. */
  narrow(prompt: string, to: string) {
    const before = this.narrowed?.prompt === prompt ? this.narrowed.before : this.fields[prompt]!;
    this.answer(prompt, to);
    this.narrowed = { prompt, to, before };
  }

  /** Goes back to what was shown before the report was narrowed. */
  widen() {
    const { prompt, before } = this.narrowed!;
    this.change(prompt, before);
    void this.run();
  }

  /** Takes the answers, the view and the day of a link to this report, and runs it. */
  open(link: string) {
    rewrite(link);
    this.touched = {};
    this.narrowed = undefined;
    void this.load();
  }

  /** Takes today for today again. */
  thaw() {
    this.asOf = '';
    this.open(`${location.pathname}?${this.query}`);
  }

  async copyLink() {
    const link = `${location.origin}${location.pathname}?${this.query}`;
    try {
      await navigator.clipboard.writeText(link);
      this.note = say('The link with these answers is copied.');
    } catch {
      rewrite(link);
      this.note = say('The address of this page is now the link with these answers.');
    }
  }

  /** Whether all rows that are here are drawn, for a print. */
  printing = $state(false);

  /** Prints the whole result, and not as far as one has scrolled: up to so many rows of each table. */
  async print() {
    const shown = this.result;
    const receipt = shown?.receipt;
    if (!shown || this.stale) return;
    if (!receipt) {
      this.note = say('The records are being counted still. Print them in a moment.');
      return;
    }
    this.note = say('Fetching all records…');
    try {
      const whole = shown.sections.map(async (s) => {
        const all = s.groups ?? s.records ?? s.rows.length;
        if (s.kind !== 'table' || s.rows.length >= Math.min(all, mostPrinted) || !receipt.id) return s;
        const isMain = s.section === (receipt.main ?? 1);
        const got = await moreRows(this.name, receipt.id, s.section, mostPrinted, { skip: 0 }, isMain ? this.#seen : {});
        return { ...s, rows: got.rows };
      });
      const sections = await Promise.all(whole);
      if (this.result !== shown) return;
      this.result = { ...shown, sections };
      this.printing = true;
      this.note = '';
      await tick();
      window.print();
    } catch (cause) {
      this.note = messageOf(cause);
    } finally {
      this.printing = false;
    }
  }

  /** Saves all rows of a section, or of all where it is 0. */
  async download(output: Download['output'], section: number) {
    if (!this.report) return;
    this.note = say('Fetching all records… {0}', limitOf(output, Math.max(0, ...(this.result?.sections ?? []).map((s) => s.groups ?? s.records ?? 0))));
    const of = this.result?.receipt?.id;
    try {
      const view = section === 0 || section === this.report.main ? this.view : {};
      const got = await download(this.name, { output, section, view, ...(of ? { of } : this.asked) });
      const told = got.receipt && Number(got.receipt) !== of ? await showReceipt(got.receipt) : undefined;
      const file = URL.createObjectURL(got.file);
      Object.assign(document.createElement('a'), {
        href: file,
        download: `${[this.name, this.report.sections.length > 1 ? section : 0, this.report.as_of].filter(Boolean).join('-')}.${output}`,
      }).click();
      setTimeout(() => URL.revokeObjectURL(file), 60_000);
      this.note = told?.notes?.at(-1) ?? say('The records are downloaded, as they were read for this page.');
    } catch (cause) {
      this.note = messageOf(cause);
    }
  }
}
