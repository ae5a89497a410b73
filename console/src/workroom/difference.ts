// Two texts of a definition beside each other, with what differs set off.
import { yaml } from '@codemirror/lang-yaml';
import { MergeView } from '@codemirror/merge';
import { EditorState } from '@codemirror/state';
import { EditorView, lineNumbers } from '@codemirror/view';
import { colouring } from './look';

/** Shows two texts in a box, the old one at the left; both are only read. */
export function textDifference(box: HTMLElement, old: { text: string; name: string }, now: { text: string; name: string }): { destroy: () => void } {
  const side = ({ text, name }: { text: string; name: string }) => ({
    doc: text.replaceAll('\r\n', '\n'),
    extensions: [
      lineNumbers(),
      yaml(),
      colouring,
      EditorState.readOnly.of(true),
      EditorView.lineWrapping,
      EditorView.contentAttributes.of({ 'aria-label': name, 'aria-readonly': 'true' }),
    ],
  });
  return new MergeView({ parent: box, a: side(old), b: side(now), gutter: true, collapseUnchanged: { margin: 3, minSize: 6 } });
}
