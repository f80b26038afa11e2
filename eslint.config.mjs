import next from 'eslint-config-next';
import tseslint from 'typescript-eslint';

/** Where React is. Elsewhere its rules find nothing, and take longer than all others together: the compiler's walk every function of a file. */
const REACT = ['src/{ui,app}/**/*.{ts,tsx}'];
const HOOKS = ['react-hooks/rules-of-hooks', 'react-hooks/exhaustive-deps'];
const compilerRules = next
  .flatMap((part) => Object.keys(part.rules ?? {}))
  .filter((rule) => rule.startsWith('react-hooks/') && !HOOKS.includes(rule));

const config = [
  {
    ignores: [
      '.next/**',
      'build/**',
      'data/**',
      'node_modules/**',
      'next-env.d.ts',
      'src/store/migrations/**',
      'test-results/**',
    ],
  },
  ...next.map((part) => (part.rules ? { ...part, files: REACT } : part)),
  ...tseslint.configs.recommended,
  {
    files: ['**/*.{ts,tsx}'],
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/consistent-type-imports': ['error', { disallowTypeAnnotations: false }],
    },
  },
  {
    files: REACT,
    rules: {
      'react-hooks/exhaustive-deps': 'error',
      // About the React compiler, which is not used here.
      'react-hooks/incompatible-library': 'off',
      'react-hooks/preserve-manual-memoization': 'off',
    },
  },
  // Jest loads its runtime by `require`.
  { files: ['**/*.cjs'], rules: { '@typescript-eslint/no-require-imports': 'off' } },
  // Tests hold next to no components.
  {
    files: ['src/**/*.test.{ts,tsx}'],
    rules: Object.fromEntries(compilerRules.map((rule) => [rule, 'off'])),
  },
];

export default config;
