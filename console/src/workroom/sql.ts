// The editor of custom SQL: completion of tables, columns and questions.
import { autocompletion, closeBrackets, completionKeymap, type CompletionContext } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { MariaSQL, PostgreSQL, sql, SQLite } from '@codemirror/lang-sql';
import { Annotation, Compartment, EditorState } from '@codemirror/state';
import { drawSelection, EditorView, keymap } from '@codemirror/view';
import type { TableKind } from './api';
import { colouring } from './look';

export type SqlEditor = {
  show: (text: string) => void;
  know: (engine: string, tables: TableKind[], prompts: string[]) => void;
  destroy: () => void;
};

const dialects = { sqlite: SQLite, postgres: PostgreSQL, mariadb: MariaSQL };
const fromOutside = Annotation.define<boolean>();

/** How long nothing is typed until a text is handed on, in ms. */
const rest = 400;

/** What a word behind a colon can be: a question, or an end of a period that one asks for. */
function completeQuestion(context: CompletionContext, prompts: string[]) {
  const word = context.matchBefore(/(^|[^:]):[\w-]*$/);
  if (!word) return null;
  const from = word.from + word.text.indexOf(':') + 1;
  return { from, options: prompts.map((name) => ({ label: name, type: 'variable', detail: 'question' })), validFor: /^[\w-]*$/ };
}

/** The columns of the tables that a statement names. */
function completeColumn(context: CompletionContext, tables: TableKind[]) {
  const word = context.matchBefore(/[\w$]+/);
  if (!word || context.matchBefore(/[.:][\w$]*/)) return null; // behind a table, and behind a colon, others tell
  const named = new Set(
    context.state.doc
      .toString()
      .toLowerCase()
      .match(/[\w$]+/g),
  );
  const options = tables
    .filter((t) => named.has(t.name.toLowerCase()))
    .flatMap((t) => (t.columns ?? []).map((name) => ({ label: name, type: 'property', detail: t.name })));
  return { from: word.from, options, validFor: /^[\w$]*$/ };
}

/** Makes the editor in a box; a changed text is handed on once nothing is typed for a moment, or the editor is left. */
export function sqlEditor(box: HTMLElement, text: string, change: (text: string) => void): SqlEditor {
  const language = new Compartment();
  const speaks = (engine: string, tables: TableKind[], prompts: string[]) => {
    const dialect = dialects[engine as keyof typeof dialects] ?? SQLite;
    const schema = Object.fromEntries(tables.map((t) => [t.name, t.columns ?? []]));
    return [
      sql({ dialect, schema, upperCaseKeywords: true }),
      dialect.language.data.of({ autocomplete: (context: CompletionContext) => completeQuestion(context, prompts) }),
      dialect.language.data.of({ autocomplete: (context: CompletionContext) => completeColumn(context, tables) }),
    ];
  };
  let timer: ReturnType<typeof setTimeout> | undefined;
  let handed = text;
  const hand = () => {
    clearTimeout(timer);
    const is = view.state.doc.toString();
    if (is === handed) return;
    handed = is;
    change(is);
  };
  const view = new EditorView({
    parent: box,
    state: EditorState.create({
      doc: text,
      extensions: [
        drawSelection(),
        history(),
        closeBrackets(),
        language.of(speaks('sqlite', [], [])),
        colouring,
        autocompletion(),
        keymap.of([...completionKeymap, ...historyKeymap, ...defaultKeymap]), // Tab leaves it
        EditorView.lineWrapping,
        EditorView.contentAttributes.of({ 'aria-label': 'sql' }),
        EditorView.domEventHandlers({ blur: hand }),
        EditorView.updateListener.of((update) => {
          if (!update.docChanged || update.transactions.some((t) => t.annotation(fromOutside))) return;
          clearTimeout(timer);
          timer = setTimeout(hand, rest);
        }),
      ],
    }),
  });
  return {
    show(now) {
      const is = view.state.doc.toString();
      if (now === is || now === handed) return; // what is typed meanwhile stays
      handed = now;
      view.dispatch({ changes: { from: 0, to: is.length, insert: now }, annotations: fromOutside.of(true) });
    },
    know(engine, tables, prompts) {
      view.dispatch({ effects: language.reconfigure(speaks(engine, tables, prompts)) });
    },
    destroy() {
      hand();
      view.destroy();
    },
  };
}
