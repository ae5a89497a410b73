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
      'no-restricted-syntax': [
        'error',
        {
          selector: 'ImportDeclaration[specifiers.length=0]:not([source.value=/css$|^@fontsource/])',
          message: 'An import of nothing: delete it.',
        },
        {
          selector:
            "CallExpression[callee.object.regex][arguments.0.property.name='message'], " +
            "CallExpression[callee.property.name=/^(match|includes|startsWith)$/][callee.object.property.name='message']",
          message: 'Texts of messages change: decide by the code.',
        },
      ],
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
    },
  },
);
