import { readdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { parse, type AST } from 'svelte/compiler';
import ts from 'typescript';
import { expect, test } from 'vitest';

// All texts of the console go through say and counted, and stand in words.json for who translates them:
// `npm run words` writes it anew.

const src = join(import.meta.dirname, '../../src');
const sources = readdirSync(src, { recursive: true, encoding: 'utf8' }).filter((f) => /\.(svelte|ts)$/.test(f) && !f.endsWith('.gen.ts'));

/** The texts that a file says. The first one of a call has to stand there as it is, or be a name for texts that do. */
function said(code: string): string[] {
  const found: string[] = [];
  const texts = (node: ts.Node, isCounted: boolean): void => {
    if (ts.isStringLiteralLike(node)) {
      if (isCounted && !/\{0\}.*\|/.test(node.text)) throw new Error(`a text of a number without its forms: ${node.text}`);
      found.push(node.text);
    } else if (ts.isConditionalExpression(node)) [node.whenTrue, node.whenFalse].forEach((one) => texts(one, isCounted));
    else throw new Error(`a text that is only known when it runs: ${node.getText()}`);
  };
  const visit = (node: ts.Node): void => {
    if (ts.isCallExpression(node) && ts.isIdentifier(node.expression)) {
      if (node.expression.text === 'say') texts(node.arguments[0]!, false);
      if (node.expression.text === 'counted') texts(node.arguments[1]!, true);
    }
    ts.forEachChild(node, visit);
  };
  visit(ts.createSourceFile('a.ts', code, ts.ScriptTarget.Latest, true));
  return found;
}

const notWords = new Set([
  'Pike Gate',
  'Ctrl Z',
  'Ctrl Shift Z',
  'CSV',
  'JSON',
  'XLSX',
  'PDF',
  'SQL',
  'PostgreSQL',
  'MariaDB',
  'pikegate put',
  'pikegate demo',
  'harbour.db',
  'HARBOUR_DATABASE',
]);
const isText = (text: string) => /[A-Za-z]{2,}/.test(text) && !notWords.has(text.trim());
const spoken = /^(aria-label|aria-valuetext|title|placeholder|alt|label|caption|hint)$/;

/** What a component shows of the code itself: its texts, the attributes that are read out, and the expressions in between. */
function shown(file: string): { bare: string[]; code: string } {
  const text = readFileSync(file, 'utf8');
  if (!file.endsWith('.svelte')) return { bare: [], code: text };
  const bare: string[] = [];
  const code: string[] = [];
  const cut = (node: unknown) => code.push(text.slice((node as AST.Text).start, (node as AST.Text).end));
  const walk = (node: unknown): void => {
    if (Array.isArray(node)) return node.forEach(walk);
    if (!node || typeof node !== 'object') return;
    const one = node as AST.TemplateNode & { type: string };
    if (one.type === 'Text' && isText(one.data)) bare.push(one.data.trim());
    if (one.type === 'Attribute' && Array.isArray(one.value)) {
      if (spoken.test(one.name)) bare.push(...one.value.flatMap((v) => (v.type === 'Text' && isText(v.data) ? [v.data] : [])));
      return one.value.forEach((v) => v.type === 'ExpressionTag' && walk(v));
    }
    if (one.type === 'StyleDirective') return;
    if (/(Expression|Identifier|Literal)$/.test(one.type)) return void cut(one);
    Object.values(one).forEach(walk);
  };
  const ast = parse(text, { modern: true });
  for (const script of [ast.module, ast.instance]) if (script) cut(script.content);
  walk(ast.fragment);
  return { bare, code: code.map((c, i) => (c.startsWith('{') ? `x${i} = ${c}` : c)).join('\n;') };
}

test('every text of the console is in the catalogue', () => {
  const words = new Set<string>();
  for (const file of sources) {
    if (file === join('lib', 'words.ts')) continue;
    const { bare, code } = shown(join(src, file));
    expect(bare, `${file}: texts that no catalogue has`).toEqual([]);
    for (const text of said(code)) words.add(text);
  }
  expect(words.size).toBeGreaterThan(500);
  const catalogue = `${JSON.stringify([...words].sort(), null, 2)}\n`;
  const file = join(src, '../words.json');
  if (process.env.UPDATE) writeFileSync(file, catalogue);
  expect(readFileSync(file, 'utf8'), 'npm run words writes it anew').toBe(catalogue);
});
