/** @type {import('jest').Config} */
const config = {
  testEnvironment: 'node',
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
