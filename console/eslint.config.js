import js from '@eslint/js';
import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';

export default ts.config(
  { ignores: ['dist/', 'test-results/', 'src/lib/api.gen.ts'] },
  js.configs.recommended,
  ...ts.configs.recommended,
  ...svelte.configs.recommended,
  { languageOptions: { globals: { ...globals.browser, ...globals.node } } },
  { files: ['**/*.svelte', '**/*.svelte.ts'], languageOptions: { parserOptions: { parser: ts.parser } } },
  {
    rules: {
      // Addresses are made and followed by lib/route, which has no router to resolve them.
      'svelte/no-navigation-without-resolve': 'off',
      'svelte/no-useless-mustaches': 'off', // a blank that stays at the end of a line
      'svelte/prefer-svelte-reactivity': 'off', // queries are made, sent and forgotten
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
    },
  },
);
