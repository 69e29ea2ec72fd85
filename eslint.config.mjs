import js from '@eslint/js';
import reactHooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

const everywhere = {
  // The core works on data of any shape: it asserts what a check just before has shown.
  '@typescript-eslint/no-non-null-assertion': 'off',
  // `void | S` says that a change may also return nothing; no other type says it.
  '@typescript-eslint/no-invalid-void-type': 'off',
  '@typescript-eslint/no-dynamic-delete': 'off',
  '@typescript-eslint/no-this-alias': 'off',
  '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
};

export default tseslint.config(
  {
    ignores: [
      '**/dist/',
      'package/',
      // What `npm run docs` writes.
      'site/.pages/',
      'site/.entries/',
      // Each is a project of its own, which its test checks.
      'templates/',
      'node_modules/',
      'coverage/',
      'reports/',
      'bench/peers.mjs',
      'bench/react-peers.tsx',
      'tests/fixtures/',
      'tests/types/cases/',
      '.stryker-tmp/',
    ],
  },
  js.configs.recommended,
  {
    // What types find in tests and examples, the compiler finds: they are linted without.
    files: ['**/*.{ts,tsx}'],
    extends: [tseslint.configs.strict],
    rules: { ...everywhere, '@typescript-eslint/no-empty-function': 'off' },
  },
  {
    files: ['src/**/*.{ts,tsx}'],
    extends: [tseslint.configs.strictTypeChecked],
    languageOptions: { parserOptions: { project: 'tsconfig.lint.json', tsconfigRootDir: import.meta.dirname } },
    rules: {
      ...everywhere,
      // Numbers in texts read well as they are.
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
      // `(value) => void set.add(value)` says that the result does not matter.
      '@typescript-eslint/no-confusing-void-expression': [
        'error',
        { ignoreArrowShorthand: true, ignoreVoidOperator: true, ignoreVoidReturningFunctions: true },
      ],
      // The type parameter is what the caller gives, where nothing else can carry it.
      '@typescript-eslint/no-unnecessary-type-parameters': 'off',
      // Checks at the edges: data and callers are not always what the types promise.
      '@typescript-eslint/no-unnecessary-condition': 'off',
      // Errors travel through as they came.
      '@typescript-eslint/only-throw-error': 'off',
      '@typescript-eslint/prefer-promise-reject-errors': 'off',
      '@typescript-eslint/unbound-method': 'off',
      // A quarter of the time of all rules, and they find nothing: there are no enums, and classes are never taken for each other.
      '@typescript-eslint/no-unsafe-class-instance-assignment': 'off',
      '@typescript-eslint/no-unsafe-enum-assignment': 'off',
    },
  },
  { files: ['src/bindings/react/**', 'examples/**/*.{ts,tsx}'], ...reactHooks.configs.flat.recommended },
  {
    files: ['**/*.mjs'],
    languageOptions: {
      globals: {
        process: 'readonly',
        console: 'readonly',
        URL: 'readonly',
        performance: 'readonly',
        setTimeout: 'readonly',
        globalThis: 'readonly',
      },
    },
  },
);
