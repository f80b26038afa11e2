/** The arrows of docs/architecture.md: ui, app → server → store, field → core; workers → core; standins → core. */
/** Tests, and what tests are set up with: `test-bench.ts` beside what it is for, or a folder of its own. */
const HELPERS = '/test-[a-z-]+(\\.tsx?$|/)';
const TESTS = `\\.test\\.tsx?$|${HELPERS}`;
/** What stages share; every other folder of `src/ui` is a stage. */
const SHARED = 'frame|import|parts|sending|session|test-page';
const STAGE = `^src/ui/(?!(?:${SHARED})/)([a-z-]+)/`;
const rule = (name, from, to, extra = {}) => ({
  name,
  severity: 'error',
  from: { path: from, pathNot: TESTS },
  to: { path: to, ...extra },
});

/** @type {import('dependency-cruiser').IConfiguration} */
module.exports = {
  forbidden: [
    rule('core-imports-only-core', '^src/core', '^src/(?!core)'),
    rule(
      'core-has-no-interface-or-node',
      '^src/core',
      '(^node:|node_modules/(react|next|drizzle-orm|better-sqlite3|ws|pino)/)',
    ),
    {
      name: 'core-uses-no-node-modules-of-node',
      severity: 'error',
      from: { path: '^src/core', pathNot: TESTS },
      to: { dependencyTypes: ['core'] },
    },
    rule('store-imports-core', '^src/store', '^src/(?!core|store)'),
    rule('field-imports-core', '^src/field', '^src/(?!core|field)'),
    rule('workers-import-core', '^src/workers', '^src/(?!core|workers)'),
    rule('registry-imports-core', '^src/registry', '^src/(?!core|registry)'),
    rule('standins-import-core', '^src/standins', '^src/(?!core|registry|standins)'),
    rule('demo-imports-core', '^src/demo', '^src/(?!core|demo)'),
    rule('server-does-not-import-ui', '^src/server', '^src/(ui|app|workers|standins)'),
    rule('only-tests-import-what-tests-are-set-up-with', '^src/', HELPERS),
    rule('nothing-imports-standins', '^src/(?!standins)', '^src/standins'),
    rule('a-stage-imports-no-other-stage', STAGE, STAGE, { pathNot: '^src/ui/$1/' }),
    rule('what-stages-share-imports-none', `^src/ui/(${SHARED})/`, STAGE),
    // The reckoning makes the graph; the graph knows of lanes only what they look like.
    rule('the-graph-takes-no-values-of-the-reckoning', '^src/core/signal', '^src/core/reckon', {
      dependencyTypesNot: ['type-only'],
    }),
    {
      name: 'no-circles',
      severity: 'error',
      from: {},
      to: { circular: true },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsConfig: { fileName: 'tsconfig.json' },
    tsPreCompilationDeps: true,
    enhancedResolveOptions: {
      exportsFields: ['exports'],
      conditionNames: ['import', 'require', 'node', 'default', 'types'],
    },
  },
};
