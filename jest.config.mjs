/** @type {import('jest').Config} */
const config = {
  testEnvironment: 'node',
  // Tests of the field wait for real devices; a busy machine may take seconds over it.
  testTimeout: 60_000,
  // As many as there are cores on the machines that this has to run on.
  maxWorkers: 2,
  // Kept-alive connections of fetch outlive the tests that made them.
  forceExit: true,
  testMatch: ['<rootDir>/src/**/*.test.ts'],
  moduleNameMapper: { '^@/(.*)$': '<rootDir>/src/$1' },
  transform: {
    '^.+\\.tsx?$': [
      '@swc/jest',
      {
        jsc: {
          target: 'es2022',
          parser: { syntax: 'typescript', decorators: true, tsx: true },
          transform: { legacyDecorator: true, decoratorMetadata: true },
        },
      },
    ],
  },
};
export default config;
