import js from '@eslint/js';
import globals from 'globals';

export default [
  { ignores: ['web/static/vendor/**', 'web/static/wasm/**', 'node_modules/**', '.data/**'] },
  js.configs.recommended,
  { files: ['web/static/js/**'], languageOptions: { globals: globals.browser } },
  { files: ['web/vendor.mjs', 'web/test/**', 'e2e/**', '*.js'], languageOptions: { globals: { ...globals.node, ...globals.browser } } },
  { rules: { 'prefer-const': 'error', eqeqeq: 'error', 'no-unused-vars': ['error', { argsIgnorePattern: '^_' }] } },
];
