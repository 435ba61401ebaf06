import js from '@eslint/js';
import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';
import svelteConfig from './svelte.config.js';

export default ts.config(
  { ignores: ['dist', 'public', '**/*.gen.ts'] },
  js.configs.recommended,
  ...ts.configs.strict,
  ...svelte.configs.recommended,
  {
    languageOptions: { globals: { ...globals.browser, ...globals.node } },
    rules: {
      // The compiler checks indexed access; what it cannot know is said with "!" where an invariant holds.
      '@typescript-eslint/no-non-null-assertion': 'off',
      'no-undef': 'off', // the compiler's job
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/no-invalid-void-type': ['error', { allowInGenericTypeArguments: true }],
      // State is replaced, never changed in place: sets and maps here are values.
      'svelte/prefer-svelte-reactivity': 'off',
      'max-lines': ['error', 500],
    },
  },
  {
    files: ['**/*.svelte', '**/*.svelte.ts'],
    languageOptions: { parserOptions: { parser: ts.parser, extraFileExtensions: ['.svelte'], svelteConfig } },
  },
  {
    files: ['src/**/*.ts', 'src/**/*.svelte'],
    languageOptions: { parserOptions: { projectService: true, extraFileExtensions: ['.svelte'] } },
    rules: { '@typescript-eslint/no-floating-promises': 'error' },
  },
);
