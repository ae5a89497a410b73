// How texts look in the editors of the workroom.
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language';
import { EditorView } from '@codemirror/view';
import { tags } from '@lezer/highlight';

const colours = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--deep)' },
  { tag: tags.keyword, color: 'var(--deep)', fontWeight: '640' },
  { tag: tags.comment, color: 'var(--quiet)', fontStyle: 'italic' },
  { tag: tags.string, color: 'var(--ink)' },
  { tag: [tags.punctuation, tags.separator, tags.brace, tags.squareBracket], color: 'var(--quiet)' },
]);

const look = EditorView.theme({
  '&': { fontSize: '13.5px', backgroundColor: 'var(--card)', color: 'var(--ink)' },
  '.cm-scroller': { fontFamily: '"DejaVu Sans Mono", ui-monospace, monospace', lineHeight: '1.55' },
  '.cm-gutters': { backgroundColor: 'var(--paper)', color: 'var(--quiet)', border: 'none' },
  '.cm-activeLine': { backgroundColor: 'color-mix(in srgb, var(--tint) 55%, transparent)' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '&.cm-focused .cm-selectionBackground, .cm-selectionBackground': { backgroundColor: 'var(--faint) !important' },
  '.cm-tooltip': { backgroundColor: 'var(--card)', color: 'var(--ink)', border: '1px solid var(--line)' },
  '.cm-tooltip-autocomplete ul li[aria-selected]': { backgroundColor: 'var(--tint)', color: 'var(--ink)' },
  '.cm-diagnostic-error': { borderLeftColor: 'var(--brick)' },
  '.cm-diagnostic-warning': { borderLeftColor: 'var(--amber)' },
  '.cm-diagnosticAction': { backgroundColor: 'var(--deep)', color: 'var(--on-deep)' },
  '.cm-prompt': { color: 'var(--amber)' },
});

/** The colours and letters of a text, in both themes. */
export const colouring = [syntaxHighlighting(colours), look];
