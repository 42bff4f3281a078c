import svelte from 'eslint-plugin-svelte';
import prettier from 'eslint-config-prettier';
import globals from 'globals';
import ts from 'typescript-eslint';
import svelteConfig from './svelte.config.js';

export default ts.config(
  { ignores: ['node_modules/', 'src/lib/openapi.ts'] },
  ...ts.configs.recommended,
  ...svelte.configs.recommended,
  prettier,
  ...svelte.configs.prettier,
  { languageOptions: { globals: { ...globals.browser, ...globals.node } } },
  {
    files: ['**/*.svelte', '**/*.svelte.ts'],
    languageOptions: { parserOptions: { parser: ts.parser, svelteConfig } },
  },
  {
    rules: {
      'max-len': ['error', { code: 100, ignoreUrls: true, ignorePattern: ' d="' }],
      'no-empty': ['error', { allowEmptyCatch: false }],
      // A plain value that nothing is drawn from needs no reactive class.
      'svelte/prefer-svelte-reactivity': 'off',
      // Prettier writes significant spaces this way.
      'svelte/no-useless-mustaches': 'off',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
    },
  },
);
