// The file view: CodeMirror with completion and help from the schema, and findings at their lines.
import { say } from '../lib/words';
import { autocompletion, closeBrackets, completionKeymap, type Completion, type CompletionContext } from '@codemirror/autocomplete';
import { defaultKeymap, indentWithTab } from '@codemirror/commands';
import { yaml } from '@codemirror/lang-yaml';
import { syntaxTree } from '@codemirror/language';
import { forceLinting, lintGutter, linter, lintKeymap, type Diagnostic } from '@codemirror/lint';
import { Annotation, EditorState } from '@codemirror/state';
import { drawSelection, EditorView, highlightActiveLine, hoverTooltip, keymap, lineNumbers } from '@codemirror/view';
import type { Finding, Part, Schema, Words } from './api';
import type { DraftEditor } from './draft.svelte';
import { colouring } from './look';
import { keysOf, namedBy, schemaAt, wordsOf } from './schema';

type Known = { names: Record<string, string[]>; words?: Words; form?: Part };
export type FileEditor = {
  show: (text: string) => void;
  mark: (findings: Finding[], saved: boolean) => void;
  know: (known: Known) => void;
  goTo: (line: number) => void;
  destroy: () => void;
};

const fromOutside = Annotation.define<boolean>();

/** The path of the mapping or list that a place is in, with the key whose value it is in; by indentation, so that it holds while one types. */
export function pathAt(state: EditorState, pos: number): { path: string[]; key: string; isValue: boolean } {
  const line = state.doc.lineAt(pos);
  const before = line.text.slice(0, pos - line.from);
  const flow = flowPath(before);
  const own = /^(\s*(?:- )*)([^\s:#'"{[][^:#]*?|"[^"]*"|'[^']*'):(?:\s|$)/.exec(before);
  let depth = own ? own[1]!.length : /^[\s-]*/.exec(before)![0].length;
  const path: string[] = [];
  if (own && !flow.inside) {
    return { path: above(state, line.number, depth), key: bare(own[2]!), isValue: true };
  }
  if (flow.inside) {
    const start = own ? [...above(state, line.number, depth), bare(own[2]!)] : above(state, line.number, depth);
    return { path: [...start, ...flow.path], key: flow.key, isValue: flow.key !== '' };
  }
  if (/^\s*-/.test(before)) depth = before.indexOf('-') + 2;
  return { path: [...path, ...above(state, line.number, depth)], key: '', isValue: false };
}

const bare = (key: string) => key.trim().replace(/^(['"])(.*)\1$/, '$2');

/** The keys and numbers of items above a line that lead to what is indented so deep. */
function above(state: EditorState, number: number, depth: number): string[] {
  const path: string[] = [];
  let at = depth;
  // An item's own dash on the line of the place.
  const lineText = state.doc.line(number).text;
  const dashes = /^\s*((?:- )*)/.exec(lineText)![0];
  let item = dashes.includes('-') && depth > dashes.indexOf('-') ? dashes.indexOf('-') : -1;
  if (item >= 0) {
    path.unshift(String(countItems(state, number, item)));
    at = item;
  }
  for (let n = number - 1; n >= 1 && (at > 0 || item >= 0); n--) {
    const text = state.doc.line(n).text;
    if (/^\s*(#|$)/.test(text)) continue;
    const m = /^(\s*(?:- )*)([^\s:#][^:#]*?):(?:\s|$)/.exec(text);
    const indent = /^\s*/.exec(text)![0].length;
    const keyAt = m ? m[1]!.length : indent;
    const isParent = item >= 0 ? keyAt <= item && !(/^\s*-/.test(text) && indent === item) : keyAt < at;
    if (m && isParent) {
      path.unshift(bare(m[2]!));
      at = keyAt;
      item = m[1]!.includes('-') ? m[1]!.lastIndexOf('-') : -1;
      if (item >= 0) {
        path.unshift(String(countItems(state, n, item)));
        at = item;
      }
    } else if (/^\s*-/.test(text) && indent < at && item < 0) {
      item = indent;
      path.unshift(String(countItems(state, n, item)));
      at = item;
    }
  }
  return path;
}

/** How many items stand before the one on a line, in its list. */
function countItems(state: EditorState, number: number, dash: number): number {
  let count = 0;
  for (let n = number - 1; n >= 1; n--) {
    const text = state.doc.line(n).text;
    if (/^\s*(#|$)/.test(text)) continue;
    const indent = /^\s*/.exec(text)![0].length;
    if (indent === dash && text[indent] === '-') count++;
    else if (indent <= dash) break;
  }
  return count;
}

/** What leads into open brackets at the end of a text. */
function flowPath(text: string): { inside: boolean; path: string[]; key: string } {
  const stack: { map: boolean; key: string; index: number }[] = [];
  let word = '';
  for (let i = 0; i < text.length; i++) {
    const c = text[i]!;
    if (c === '"' || c === "'") {
      const end = text.indexOf(c, i + 1);
      word = end < 0 ? text.slice(i + 1) : text.slice(i + 1, end);
      i = end < 0 ? text.length : end;
    } else if (c === '{' || c === '[') {
      stack.push({ map: c === '{', key: '', index: 0 });
      word = '';
    } else if (c === '}' || c === ']') {
      stack.pop();
      word = '';
    } else if (c === ',' && stack.length > 0) {
      const top = stack.at(-1)!;
      top.key = '';
      top.index++;
      word = '';
    } else if (c === ':' && stack.at(-1)?.map) {
      stack.at(-1)!.key = word.trim();
      word = '';
    } else if (c === '#' && /\s/.test(text[i - 1] ?? ' ')) break;
    else word += c;
  }
  const path = stack.slice(0, -1).map((s) => (s.map ? s.key : String(s.index)));
  const top = stack.at(-1);
  if (top && !top.map) path.push(String(top.index));
  return { inside: stack.length > 0, path, key: top?.map ? top.key : '' };
}

const phrases = [
  'today',
  'yesterday',
  'last 7 days',
  'last 30 days',
  'last week',
  'this month',
  'last month',
  'month to date',
  'last quarter',
  'quarter to date',
  'last year',
  'year to date',
];

/** The names that can stand as the value of a key, or in a list under it. */
function namesFor(key: string, path: string[], known: Known): string[] {
  const kind = namedBy[key];
  if (kind) return known.names[kind] ?? [];
  const columns = known.words?.columns.map((c) => c.name) ?? [];
  if (
    ['show', 'sort', 'group', 'totals', 'offer', 'key', 'across', 'split', 'column', 'sum', 'average', 'least', 'greatest', 'distinct', 'value'].includes(key)
  )
    return columns;
  if (
    ['within', 'outside', 'before', 'from', 'through', 'after', 'is', 'default', 'offer', 'earliest', 'latest', 'answers'].includes(key) ||
    path.includes('answers')
  )
    return phrases;
  return [];
}

/** A path of criteria leads to nodes, which the schema tells of by itself. */
const isInCriteria = (path: string[]) => path.some((p) => p === 'where' || p === 'having');

function complete(context: CompletionContext, root: Schema, known: Known) {
  const { path, key, isValue } = pathAt(context.state, context.pos);
  const word = context.matchBefore(/[\w-]*$/)!;
  if (word.from === word.to && !context.explicit && !/[{[,:] ?$/.test(context.matchBefore(/.{0,2}$/)?.text ?? '')) return null;
  const options: Completion[] = [];
  const list = /^\d+$/.test(path.at(-1) ?? '') ? path.at(-2) : undefined;
  if (isValue || (list && !isInCriteria(path))) {
    const under = isValue ? key : list!;
    const schema = schemaAt(root, known.form, isValue ? [...path, key] : path);
    for (const w of wordsOf(schema, root)) options.push({ label: w, type: 'keyword' });
    for (const n of namesFor(under, path, known)) options.push({ label: n, type: 'variable' });
  }
  if (!isValue) {
    const schema = schemaAt(root, known.form, path);
    for (const [k, of] of Object.entries(keysOf(schema, root))) options.push({ label: k, apply: `${k}: `, type: 'property', info: of.description });
    if (isInCriteria(path) && schema?.refers !== 'operand') {
      const isNode = path.at(-1) === 'where' || path.at(-1) === 'having' || /^\d+$/.test(path.at(-1) ?? '');
      if (isNode) for (const c of known.words?.columns ?? []) options.push({ label: c.name, apply: `${c.name}: `, type: 'variable', detail: c.label });
    }
  }
  const unique = [...new Map(options.map((o) => [o.label, o])).values()];
  return unique.length > 0 ? { from: word.from, options: unique, validFor: /^[\w-]*$/ } : null;
}

/** Makes the editor in a box: what is typed goes to the draft, which saves it. */
export function fileEditor(box: HTMLElement, draft: DraftEditor, root: Schema): FileEditor {
  let known: Known = { names: {} };
  let findings: Finding[] = [];
  // Lines end within the editor with a line feed, and in the file as they did.
  const unix = (text: string) => text.replaceAll('\r\n', '\n');
  const written = (text: string) => (draft.text.includes('\r\n') ? text.replaceAll('\n', '\r\n') : text);

  const diagnostics = (view: EditorView): Diagnostic[] =>
    findings.map((f) => {
      const line = view.state.doc.line(Math.min(Math.max(f.place.line ?? 1, 1), view.state.doc.lines));
      const from = Math.min(line.from + Math.max((f.place.column ?? 1) - 1, 0), line.to);
      const end = /^("[^"]*"|'[^']*'|[\w-]+|.)/.exec(line.text.slice(from - line.from))?.[0].length ?? 0;
      return {
        from,
        to: from + end,
        severity: f.warning ? 'warning' : 'error',
        message: `${f.message.charAt(0).toUpperCase()}${f.message.slice(1)}.`,
        actions: (f.suggestions ?? []).map((text) => ({
          name: text.length <= 60 ? say('Write {0}', text) : say('Mend'),
          apply: () => void draft.edit([{ op: 'mend', path: f.path, key: f.key, text }]),
        })),
      };
    });

  const view = new EditorView({
    parent: box,
    state: EditorState.create({
      doc: unix(draft.text),
      extensions: [
        lineNumbers(),
        drawSelection(),
        highlightActiveLine(),
        closeBrackets(),
        yaml(),
        colouring,
        lintGutter(),
        linter(diagnostics, { delay: 0 }),
        autocompletion({ override: [(context) => complete(context, root, known)] }),
        hoverTooltip((v, pos) => {
          const { path, key } = pathAt(v.state, Math.min(v.state.doc.lineAt(pos).to, v.state.wordAt(pos)?.to ?? pos));
          const at = v.state.wordAt(pos);
          const word = at ? v.state.sliceDoc(at.from, at.to) : '';
          const of = schemaAt(root, known.form, key === word ? [...path, key] : [...path, word]);
          if (!at || !of?.description || syntaxTree(v.state).resolveInner(pos).name === 'Comment') return null;
          return {
            pos: at.from,
            end: at.to,
            create: () => {
              const dom = document.createElement('div');
              dom.style.cssText = 'padding: 4px 8px; max-width: 380px';
              dom.textContent = of.description!;
              return { dom };
            },
          };
        }),
        // Steps back and forth are the draft's, which has those of the sentence too.
        keymap.of([
          { key: 'Mod-z', run: () => (void draft.step('undo'), true) },
          { key: 'Mod-y', mac: 'Mod-Shift-z', run: () => (void draft.step('redo'), true) },
          { key: 'Mod-Shift-z', run: () => (void draft.step('redo'), true) },
          ...completionKeymap,
          ...lintKeymap,
          ...defaultKeymap,
          indentWithTab,
        ]),
        EditorView.contentAttributes.of({ 'aria-label': say('The definition as a file') }),
        EditorView.lineWrapping,
        EditorView.theme({ '.cm-scroller': { minHeight: '300px' } }),
        EditorView.updateListener.of((update) => {
          if (update.docChanged && !update.transactions.some((t) => t.annotation(fromOutside))) draft.type(written(update.state.doc.toString()));
        }),
      ],
    }),
  });

  return {
    show(file) {
      const is = view.state.doc.toString();
      const text = unix(file);
      if (is === text) return;
      let start = 0;
      while (start < Math.min(is.length, text.length) && is[start] === text[start]) start++;
      let end = 0;
      while (end < Math.min(is.length, text.length) - start && is.at(-1 - end) === text.at(-1 - end)) end++;
      view.dispatch({ changes: { from: start, to: is.length - end, insert: text.slice(start, text.length - end) }, annotations: fromOutside.of(true) });
    },
    mark(found, saved) {
      if (!saved) return; // they are of the text before
      findings = found;
      forceLinting(view);
    },
    know(now) {
      known = now;
    },
    goTo(line) {
      const to = view.state.doc.line(Math.min(Math.max(line, 1), view.state.doc.lines));
      view.dispatch({ selection: { anchor: to.from }, effects: EditorView.scrollIntoView(to.from, { y: 'center' }) });
      view.focus();
    },
    destroy: () => view.destroy(),
  };
}
