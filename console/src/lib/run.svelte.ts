import { untrack } from 'svelte';
import { answersOf, fieldsFromQuery, queryOf, type Field, type Fields } from './answers';
import {
  BrokeOff,
  countMatches,
  downloadCsv,
  moreRows,
  Refused,
  runReport,
  showReport,
  understand,
  type Matches,
  type ReportInfo,
  type Result,
  type Understanding,
} from './api';
import { currentUrl, rewrite } from './route.svelte';

const pageSize = 200;

const said = (cause: unknown): string => (cause instanceof Error ? cause.message : String(cause));

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
  /** The prompts that were answered, or all once a run was asked for. */
  touched = $state<Record<string, boolean>>({});

  #resultQuery = $state(''); // the answers that the result belongs to

  readonly answers = $derived(this.report ? answersOf(this.report.prompts, this.fields) : {});
  readonly query = $derived(this.report ? queryOf(this.report.prompts, this.fields) : '');
  readonly faults = $derived(this.understanding?.errors ?? []);
  readonly stale = $derived(!!this.result && this.query !== this.#resultQuery);

  #loadingMore = false;

  constructor(readonly name: string) {
    showReport(name).then(
      (report) => {
        this.report = report;
        const asked = currentUrl().searchParams;
        this.fields = fieldsFromQuery(report.prompts, asked);
        if (asked.size > 0) void this.run();
      },
      (cause: Error) => (this.failed = cause.message),
    );
    // What was understood is asked for a moment after the last key; an answer to an older
    // question is dropped.
    $effect(() => {
      if (!this.report) return;
      const given = this.answers;
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

  async #understand(given: typeof this.answers, signal: AbortSignal) {
    this.understanding = await understand(this.name, given, signal);
    this.matches = undefined;
    if (this.understanding.errors.length === 0) this.matches = await countMatches(this.name, given, signal);
  }

  change(prompt: string, field: Field) {
    this.fields[prompt] = field;
    this.touched[prompt] = true;
    this.note = this.failed = this.receiptOfFailure = '';
  }

  /** Runs it. False where answers were refused, which are marked then. With whole, all records of a large table are counted. */
  async run(whole = false): Promise<boolean> {
    if (!this.report) return true;
    this.running?.abort();
    const stop = new AbortController();
    this.running = stop;
    this.failed = this.note = this.receiptOfFailure = '';
    const asked = this.query;
    const given = this.answers;
    let shown = false;
    const show = (rows: Result) => {
      this.result = rows;
      this.#resultQuery = asked;
      shown = true;
    };
    try {
      this.understanding = await understand(this.name, given, stop.signal);
      if (this.understanding.errors.length > 0) {
        for (const prompt of this.report.prompts) this.touched[prompt.name] = true;
        this.failed = 'Nothing was run: some answers need mending. They are marked beside their questions.';
        return false;
      }
      rewrite(`${location.pathname}?${asked}`);
      show(await runReport(this.name, given, pageSize, whole ? 'whole' : true, show, stop.signal));
    } catch (cause) {
      if (stop.signal.aborted) return true;
      this.failed = said(cause);
      if (shown) this.result = undefined; // they may not be all
      if (cause instanceof Refused) this.receiptOfFailure = cause.problem.instance?.replace('/api/v1', '') ?? '';
      if (cause instanceof BrokeOff) this.receiptOfFailure = cause.receipt;
    } finally {
      if (this.running === stop) this.running = undefined;
    }
    return true;
  }

  /** Reads further rows of the run that is shown. */
  async more() {
    const shown = this.result;
    if (!shown?.receipt?.next || this.#loadingMore || this.stale) return;
    this.#loadingMore = true;
    try {
      const next = await moreRows(this.name, shown.receipt.id, pageSize, shown.receipt.next);
      if (this.result !== shown) return;
      const told = next.receipt;
      const counted = shown.receipt.records !== undefined && told?.records !== undefined;
      if (counted && (told.records !== shown.receipt.records || told.groups !== shown.receipt.groups))
        this.note = 'The data changed while you were reading. Run again to see them as they are now.';
      else {
        if (!counted && told?.data_changed) this.note = 'The data may have changed since the first rows were read. Run again to be certain.';
        this.result = { ...shown, rows: [...shown.rows, ...next.rows], receipt: { ...shown.receipt, next: told?.next } };
      }
    } catch (cause) {
      this.note = said(cause);
    } finally {
      this.#loadingMore = false;
    }
  }

  /** Gives one answer in place of that which was given, and runs again. */
  answer(prompt: string, text: string) {
    this.change(prompt, { start: text, end: '', values: [text] });
    void this.run();
  }

  async copyLink() {
    const link = `${location.origin}${location.pathname}?${this.query}`;
    try {
      await navigator.clipboard.writeText(link);
      this.note = 'The link with these answers is copied.';
    } catch {
      rewrite(link);
      this.note = 'The address of this page is now the link with these answers.';
    }
  }

  async download() {
    if (!this.report) return;
    this.note = 'Fetching all records…';
    try {
      const file = URL.createObjectURL(await downloadCsv(this.name, this.answers));
      Object.assign(document.createElement('a'), { href: file, download: `${this.name}-${this.report.as_of}.csv` }).click();
      setTimeout(() => URL.revokeObjectURL(file), 60_000);
      this.note = 'The records are downloaded.';
    } catch (cause) {
      this.note = said(cause);
    }
  }
}
