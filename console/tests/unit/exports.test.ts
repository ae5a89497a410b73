import { readdirSync, readFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, test } from 'vitest';

const files = ['src', 'tests']
  .flatMap((dir) => readdirSync(dir, { recursive: true, encoding: 'utf8' }).map((name) => join(dir, name)))
  .filter((name) => /\.(ts|svelte)$/.test(name) && !name.endsWith('.gen.ts'))
  .map((name) => ({ name, text: readFileSync(name, 'utf8') }));

test('what is exported is imported somewhere', () => {
  const unused = files
    .filter(({ name }) => name.startsWith('src') && name.endsWith('.ts'))
    .flatMap(({ name, text }) =>
      [...text.matchAll(/^export (?:async )?(?:const|let|function|class|type|interface) (\w+)/gm)]
        .map(([, exported]) => exported)
        .filter((exported) => {
          const used = new RegExp(`\\b${exported}\\b`);
          return !files.some((other) => other.name !== name && used.test(other.text));
        })
        .map((exported) => `${name}: ${exported}`),
    );
  expect(unused).toEqual([]);
});
