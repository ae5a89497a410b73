import { spelledDay } from '../lib/format';
import { say } from '../lib/words';
import type { Words } from './api';
import { entries, entry, items, textOf, type Node } from './part';

/** A condition in the words of the sentence. */
export function conditionWords(node: Node & { is: 'condition' }, words: Words | undefined): { column: string; op: string; operand: string } {
  const labelOf = (name: string) => words?.columns.find((c) => c.name === name)?.label;
  const type = words?.columns.find((c) => c.name === node.column)?.type;
  const op = words?.operators.find((t) => t.type === type)?.operators.find((o) => o.op === node.op);
  return {
    column: labelOf(node.column)?.toLowerCase() ?? node.column,
    op: op?.said ?? node.op.replaceAll('_', ' '),
    operand: operandWords(node, words, labelOf),
  };
}

function operandWords(node: Node & { is: 'condition' }, words: Words | undefined, labelOf: (name: string) => string | undefined): string {
  const of = node.operand;
  const prompt = textOf(entry(of, 'prompt'));
  if (prompt) return `${words?.prompts.find((p) => p.name === prompt)?.ask ?? prompt}${entry(of, 'side') ? say(' (its {0})', textOf(entry(of, 'side'))) : ''}`;
  const column = textOf(entry(of, 'column'));
  if (column) return say("the record's {0}", labelOf(column) ?? column);
  if (entry(of, 'person')) return say('the {0} of who runs it', textOf(entry(of, 'person')));
  if (of?.kind === 'mapping')
    return entries(of)
      .map((e) => `${items(e.part).map(textOf).join(', ') || textOf(entry(e.part, 'prompt'))} (${e.key})`)
      .join(', ');
  if (!of) return '';
  const texts = of.kind === 'list' ? items(of).map(textOf) : [textOf(of)];
  if (node.op === 'within' && texts.length === 2) return say('{0} to {1}', texts[0], texts[1]);
  return texts.map((t) => (/^\d{4}-\d\d-\d\d$/.test(t) ? spelledDay(t) : t === '' ? '…' : t)).join(', ');
}
