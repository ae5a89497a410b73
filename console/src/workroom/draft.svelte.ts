import { messageOf, Refused, Unreached } from '../lib/api';
import { editDraft, getDraft, saveDraft, stepDraft, takeTheirs, type Draft, type Edit } from './api';

/** How long until a text that could not be saved is tried again, in ms. */
const againAfter = 2000;
/** How often others are looked for, in ms. */
const lookEvery = 10_000;

/** A definition that is being written: saved as one types, by one request after the other. */
export class DraftEditor {
  draft = $state.raw<Draft>();
  /** What was typed in the file and is not saved yet. */
  typed = $state<string>();
  failed = $state('');
  /** What happened elsewhere, or was not made. */
  note = $state('');
  /** Requests under way. */
  busy = $state(0);

  readonly text = $derived(this.typed ?? this.draft?.text ?? '');
  readonly isDraft = $derived((this.draft?.version ?? 0) > 0);
  readonly errors = $derived((this.draft?.findings ?? []).filter((f) => !f.warning));
  readonly path: string;

  #queue: Promise<unknown> = Promise.resolve();
  #timer: ReturnType<typeof setTimeout> | undefined;
  #saving: Promise<void> | undefined;
  #windows = new BroadcastChannel('pikegate-drafts');
  readonly #stash: string;

  constructor(
    readonly kind: string,
    readonly name: string,
  ) {
    this.path = `${kind}:${name}`;
    this.#stash = `draft ${this.path}`;
    void this.load().then(() => {
      const left = sessionStorage.getItem(this.#stash); // typed before the page went, and not saved
      if (left !== null && this.draft && left !== this.draft.text) this.type(left);
    });
    this.#windows.onmessage = (event) => event.data === this.path && this.typed === undefined && void this.load();
    $effect(() => {
      const timer = setInterval(() => document.visibilityState === 'visible' && this.typed === undefined && !this.busy && void this.load(), lookEvery);
      return () => {
        clearInterval(timer);
        this.#windows.close();
        void this.flush();
      };
    });
  }

  /** Fetches the draft; anew, what was found of it too, which other drafts may have changed. */
  async load(anew = false): Promise<void> {
    try {
      const draft = await getDraft(this.kind, this.name);
      if (!anew && (this.busy > 0 || draft.version < (this.draft?.version ?? 0))) return; // it was saved meanwhile
      if (anew || draft.version !== this.draft?.version || draft.latest !== this.draft.latest || draft.others?.length !== this.draft.others?.length)
        this.draft = draft;
      this.failed = '';
    } catch (cause) {
      if (!this.draft) this.failed = messageOf(cause);
    }
  }

  /** Makes edits, all or none, behind all that was asked for before. */
  edit(edits: Edit[]): Promise<boolean> {
    if (edits.length === 0) return Promise.resolve(true);
    return this.#change((version) => editDraft(this.kind, this.name, version, edits));
  }

  step(step: 'undo' | 'redo'): Promise<boolean> {
    return this.#change((version) => stepDraft(this.kind, this.name, version, step));
  }

  take(paths: string[]): Promise<boolean> {
    return this.#change((version) => takeTheirs(this.kind, this.name, version, paths));
  }

  /** Takes a text that is being typed, and saves it as soon as what was typed before it is saved. */
  type(text: string): void {
    this.typed = text;
    try {
      sessionStorage.setItem(this.#stash, text);
    } catch {
      // too long to be kept beside the page: it is saved all the same
    }
    void this.flush();
  }

  /** Saves what was typed, and what is typed meanwhile. */
  flush(): Promise<void> {
    this.#saving ??= this.#saveTyped().finally(() => (this.#saving = undefined));
    return this.#saving;
  }

  async #saveTyped(): Promise<void> {
    clearTimeout(this.#timer);
    while (this.typed !== undefined) {
      const text = this.typed;
      if (text !== this.draft?.text) {
        const save = () => this.#do((version) => saveDraft(this.kind, this.name, version, text));
        let ended = await save();
        if (ended === 'moved') {
          ended = await save(); // over what is there, which a step back brings again
          if (ended === 'done') this.note = 'This draft was changed in another window too. What you typed was saved over it; Undo shows what was there.';
        }
        if (ended === 'refused') return; // until something else is typed
        if (ended !== 'done') {
          this.#timer = setTimeout(() => void this.flush(), againAfter);
          return;
        }
      }
      if (this.typed !== text) continue; // typed on meanwhile
      this.typed = undefined;
      sessionStorage.removeItem(this.#stash);
    }
  }

  async #change(ask: (version: number) => Promise<Draft>): Promise<boolean> {
    await this.flush();
    return (await this.#do(ask)) === 'done';
  }

  /** Asks for a change once those before it are made. It has moved where another window saved the draft. */
  #do(ask: (version: number) => Promise<Draft>): Promise<'done' | 'moved' | 'refused' | 'failed'> {
    const made = this.#queue.then(async () => {
      this.busy++;
      try {
        this.draft = await ask(this.draft?.version ?? 0);
        this.note = '';
        this.#windows.postMessage(this.path);
        return 'done' as const;
      } catch (cause) {
        this.note = messageOf(cause);
        if (cause instanceof Unreached) this.note = 'The service does not answer. What you typed is kept here and saved as soon as it does.';
        if (cause instanceof Refused && cause.problem.errors?.[0]?.code === 'draft_moved_on') {
          await this.load(true);
          this.note = 'This draft was changed in another window. It is shown as it is there now; your last change was not made.';
          return 'moved' as const;
        }
        return cause instanceof Refused ? ('refused' as const) : ('failed' as const);
      } finally {
        this.busy--;
      }
    });
    this.#queue = made;
    return made;
  }
}
