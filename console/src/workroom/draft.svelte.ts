import { say } from '../lib/words';
import { messageOf, Refused, Unreached } from '../lib/api';
import { editDraft, getDraft, saveDraft, stepDraft, takeTheirs, type Draft, type Edit } from './api';
import { merged } from './merged';

/** How long until a text that could not be saved is tried again, in ms. */
const againAfter = 2000;
/** How often others are looked for, in ms. */
const lookEvery = 10_000;

/** Keeps a text beside the page, so that it is there after a reload. */
function keep(key: string, text: string) {
  try {
    sessionStorage.setItem(key, text);
  } catch {
    // too long to be kept beside the page: it is saved all the same
  }
}

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
  /** Changes that are asked for, those that wait for others too. */
  #asked = 0;
  #changing: Promise<unknown> = Promise.resolve();
  /** The text that what is typed goes on from, and whether it took the place of what another window did. */
  #from = '';
  #isOver = false;
  #restored = false;
  #gone = false;
  #timer: ReturnType<typeof setTimeout> | undefined;
  #saving: Promise<void> | undefined;
  #windows = new BroadcastChannel('pikegate-drafts');
  readonly #stash: string;
  readonly #editStash: string;
  /** Edits that are asked for and not made yet. */
  #pending: Edit[][] = [];

  constructor(
    readonly kind: string,
    readonly name: string,
  ) {
    this.path = `${kind}:${name}`;
    this.#stash = `draft ${this.path}`;
    this.#editStash = `edits ${this.path}`;
    void this.load();
    this.#windows.onmessage = (event) => event.data === this.path && this.typed === undefined && void this.load();
    $effect(() => {
      const timer = setInterval(() => document.visibilityState === 'visible' && this.typed === undefined && !this.busy && void this.load(), lookEvery);
      return () => {
        clearInterval(timer);
        this.#gone = true;
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
      this.#restore();
    } catch (cause) {
      if (!this.draft) this.failed = messageOf(cause);
    }
  }

  /** Takes up what was done before the page went and is not saved, once the draft is here. */
  #restore(): void {
    if (this.#restored || !this.draft) return;
    this.#restored = true;
    const asked = sessionStorage.getItem(this.#editStash);
    if (asked !== null) {
      const { version, pending } = JSON.parse(asked) as { version: number; pending: Edit[][] };
      if (version === this.draft.version) for (const edits of pending) void this.edit(edits);
      else sessionStorage.removeItem(this.#editStash);
    }
    const left = sessionStorage.getItem(this.#stash);
    if (left !== null && left !== this.draft.text) this.type(left);
  }

  /** Makes edits, all or none, behind all that was asked for before. */
  edit(edits: Edit[]): Promise<boolean> {
    if (edits.length === 0) return Promise.resolve(true);
    this.#pending.push(edits);
    this.#keepPending();
    return this.#change((version) => editDraft(this.kind, this.name, version, edits)).finally(() => {
      this.#pending = this.#pending.filter((e) => e !== edits);
      this.#keepPending();
    });
  }

  #keepPending(): void {
    if (this.#pending.length > 0) keep(this.#editStash, JSON.stringify({ version: this.draft?.version ?? 0, pending: this.#pending }));
    else sessionStorage.removeItem(this.#editStash);
  }

  step(step: 'undo' | 'redo'): Promise<boolean> {
    return this.#change((version) => stepDraft(this.kind, this.name, version, step));
  }

  take(paths: string[]): Promise<boolean> {
    return this.#change((version) => takeTheirs(this.kind, this.name, version, paths));
  }

  /** Takes a text that is being typed, and saves it as soon as what was typed before it is saved. */
  type(text: string): void {
    if (this.typed === undefined) this.#from = this.draft?.text ?? '';
    this.typed = text;
    void this.flush();
    queueMicrotask(() => keep(this.#stash, text)); // once it is on its way, which waits for nothing
  }

  /** Saves what was typed, and what is typed meanwhile. */
  flush(): Promise<void> {
    this.#saving ??= this.#saveTyped().finally(() => (this.#saving = undefined));
    return this.#saving;
  }

  async #saveTyped(): Promise<void> {
    clearTimeout(this.#timer);
    let moved = false;
    while (this.typed !== undefined) {
      const text = this.#onWhatIs(this.typed);
      if (text !== this.draft?.text) {
        const ended = await this.#do((version) => saveDraft(this.kind, this.name, version, text));
        if (ended === 'moved') {
          moved = true;
          continue;
        }
        if (ended === 'refused') return; // until something else is typed
        if (ended !== 'done') {
          this.#timer = setTimeout(() => void this.flush(), againAfter);
          return;
        }
        if (moved)
          this.note = this.#isOver
            ? say('This draft was changed in another window too, at the same place. What you typed was saved over it; Undo shows what was there.')
            : say('This draft was changed in another window too. Both changes are in it now.');
      }
      this.#from = text;
      if (this.typed !== text) continue; // typed on meanwhile
      this.typed = undefined;
      sessionStorage.removeItem(this.#stash);
    }
  }

  /** What was typed, in the draft as it is there by now; where both changed the same place it stands for itself. */
  #onWhatIs(typed: string): string {
    const is = this.draft?.text ?? '';
    if (is === this.#from) return typed;
    const both = merged(this.#from, typed, is);
    this.#from = is;
    this.#isOver = both === undefined;
    return (this.typed = both ?? typed);
  }

  /** Makes a change behind what was typed; where the service does not answer it is asked for again until it does. */
  #change(ask: (version: number) => Promise<Draft>): Promise<boolean> {
    const made = this.#changing.then(async () => {
      await this.flush();
      let ended = await this.#do(ask);
      while (ended === 'failed' && !this.#gone) {
        await new Promise((resolve) => setTimeout(resolve, againAfter));
        ended = await this.#do(ask);
      }
      return ended === 'done';
    });
    this.#changing = made;
    return made;
  }

  /** Asks for a change once those before it are made. It has moved where another window saved the draft. */
  #do(ask: (version: number) => Promise<Draft>): Promise<'done' | 'moved' | 'refused' | 'failed'> {
    const run = async () => {
      this.busy++;
      try {
        this.draft = await ask(this.draft?.version ?? 0);
        this.note = '';
        this.#windows.postMessage(this.path);
        return 'done' as const;
      } catch (cause) {
        this.note = messageOf(cause);
        if (cause instanceof Unreached) this.note = say('The service does not answer. What you did is kept here and saved as soon as it does.');
        if (cause instanceof Refused && cause.problem.errors?.[0]?.code === 'draft_moved_on') {
          await this.load(true);
          this.note = say('This draft was changed in another window. It is shown as it is there now; your last change was not made.');
          return 'moved' as const;
        }
        return cause instanceof Refused ? ('refused' as const) : ('failed' as const);
      } finally {
        this.busy--;
        this.#asked--;
      }
    };
    const made = this.#asked++ === 0 ? run() : this.#queue.then(run); // at once where nothing is in front of it
    this.#queue = made;
    return made;
  }
}
