const swc = [
  '@swc/jest',
  {
    jsc: {
      target: 'es2022',
      parser: { syntax: 'typescript', decorators: true, tsx: true },
      transform: { legacyDecorator: true, decoratorMetadata: true, react: { runtime: 'automatic' } },
    },
  },
];

const common = {
  moduleNameMapper: { '^@/(.*)$': '<rootDir>/src/$1' },
  transform: { '^.+\\.tsx?$': swc },
  // What a file leaves on the globals stays: Jest takes it away by setters that call themselves when something is set late, and then a file whose
  // tests all passed has failed.
  testEnvironmentOptions: { globalsCleanup: 'off' },
};

/** @type {import('jest').Config} */
const config = {
  // Tests of the field wait for real devices; a busy machine may take seconds over it.
  testTimeout: 60_000,
  // One more than there are cores on the machines that this has to run on: tests of the field mostly wait.
  maxWorkers: 3,
  projects: [
    { ...common, displayName: 'code', testEnvironment: 'node', testMatch: ['<rootDir>/src/**/*.test.ts'] },
    {
      ...common,
      displayName: 'pages',
      testEnvironment: '<rootDir>/scripts/page-environment.mjs',
      testMatch: ['<rootDir>/src/**/*.test.tsx'],
      moduleNameMapper: {
        ...common.moduleNameMapper,
        // That of the development build keeps where each element was made.
        '^react/jsx-runtime$': '<rootDir>/node_modules/react/cjs/react-jsx-runtime.production.js',
        '^next/navigation$': '<rootDir>/src/ui/test-page/next-navigation.ts',
      },
      transform: { '^.+\\.(tsx?|mjs|js)$': swc },
      // These come as ECMAScript modules only.
      transformIgnorePatterns: ['/node_modules/(?!(nuqs|lucide-react|comlink)/)'],
    },
  ],
};
export default config;
