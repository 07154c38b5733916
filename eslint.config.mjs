import tseslint from 'typescript-eslint';
import { pureCore } from './tools/eslint-core.mjs';

export default tseslint.config(
  { ignores: ['dist', 'node_modules', 'src/core/formats/deflate/encoder', 'demo', 'schemas', 'test/fixtures'] },
  {
    files: ['src/**/*.ts', 'test/**/*.ts'],
    extends: [...tseslint.configs.strictTypeChecked, ...tseslint.configs.stylisticTypeChecked],
    languageOptions: {
      parserOptions: { project: ['./tsconfig.json', './tsconfig.page.json'], tsconfigRootDir: import.meta.dirname },
    },
    plugins: { house: { rules: { 'pure-core': pureCore } } },
    rules: {
      'house/pure-core': 'error',
      '@typescript-eslint/no-explicit-any': 'error',
      '@typescript-eslint/switch-exhaustiveness-check': ['error', { considerDefaultExhaustiveForUnions: true }],
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: false }],
      '@typescript-eslint/no-unused-vars': [
        'error',
        { varsIgnorePattern: '^_', argsIgnorePattern: '^_', ignoreRestSiblings: true },
      ],
      '@typescript-eslint/no-confusing-void-expression': ['error', { ignoreArrowShorthand: true }],
      '@typescript-eslint/no-base-to-string': 'off',
      '@typescript-eslint/prefer-literal-enum-member': 'off',
      complexity: ['error', 15],
      'max-depth': ['error', 3],
      'max-lines': ['error', 360],
      'max-lines-per-function': ['error', { max: 70, skipBlankLines: true, skipComments: true }],
      eqeqeq: 'error',
      'no-console': 'error',
    },
  },
  { files: ['**/*.test.ts', 'test/**/*.ts'], rules: { 'max-lines-per-function': 'off', 'house/pure-core': 'off' } },
  {
    files: ['scripts/*.mjs', 'bench/*.mjs', 'tools/*.mjs', 'src/**/*.mjs'],
    extends: [tseslint.configs.eslintRecommended],
  },
);
