// `npm test`: what is missing is installed, lint and a fresh build with types, unit tests, then the browser tests against the build. Ends
// with `N passed, N failed`.
// `--only unit` or `--only browser` runs a part.
import { spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { existsSync, mkdirSync, openSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { databaseCompiled, ensureBrowser, ensurePackages } from './ensure-installed.mjs';

const root = join(import.meta.dirname, '..');
const only = process.argv.includes('--only') ? process.argv[process.argv.indexOf('--only') + 1] : null;
const results = join(root, 'test-results');
let passed = 0;
let failed = 0;

/**
 * More room for new objects than Node.js has by itself, from the start: tests make many that are soon thrown away, and so fewer of them are copied,
 * which saves about a fifteenth of the processor's time.
 */
const NODE_ARGS = ['--min-semi-space-size=256', '--max-semi-space-size=256'];

const startedAt = Date.now();
const minutes = () => {
  const seconds = Math.round((Date.now() - startedAt) / 1000);
  return `${Math.floor(seconds / 60)}:${String(seconds % 60).padStart(2, '0')}`;
};
/** What comes now, and how long it took until here. */
const begin = (title) => console.log(`\n${title} (after ${minutes()} min)`);

function run(title, command, args) {
  begin(title);
  const { status } = spawnSync(process.execPath, [...NODE_ARGS, join(root, 'node_modules', command), ...args], {
    cwd: root,
    stdio: 'inherit',
    env: { ...process.env, NEXT_TELEMETRY_DISABLED: '1', FORCE_COLOR: '0' },
  });
  return status === 0;
}

function count(isGood) {
  if (isGood) passed += 1;
  else failed += 1;
}

ensurePackages();
if (only !== 'unit') ensureBrowser();
// The database, the build, and what is checked meanwhile share the two cores.
const compiled = databaseCompiled();
rmSync(results, { recursive: true, force: true });
mkdirSync(results, { recursive: true });

const buildLog = join(results, 'build.log');
const building =
  only === 'unit'
    ? null
    : spawn(process.execPath, [join(root, 'scripts/build.mjs')], {
        stdio: ['ignore', openSync(buildLog, 'w'), openSync(buildLog, 'a')],
      });
const built = building && once(building, 'exit');

if (only === null) {
  count(run('Lint', '.bin/oxlint', []));
  count(run('Boundaries', '.bin/depcruise', ['src', '--config', '.dependency-cruiser.cjs', '--output-type', 'err']));
  count(run('Format', '.bin/oxfmt', ['--check']));
  begin('Licences');
  count(
    spawnSync(process.execPath, [join(root, 'scripts/licences.mjs'), '--quiet'], { stdio: 'inherit' }).status === 0,
  );
}
if (built !== null) {
  begin('Build');
  const [code] = await built;
  if (code !== 0) console.error(readFileSync(buildLog, 'utf8'));
  count(code === 0);
  // After the build, which writes the types of the routes. `.bin/tsc` is that of the older compiler, which dependency-cruiser reads with.
  count(run('Types', 'typescript-7/bin/tsc', ['--noEmit', '--incremental', 'false']));
}
await compiled;
if (only !== 'browser') {
  const file = join(results, 'unit.json');
  const isGood = run('Unit tests', '.bin/jest', ['--json', `--outputFile=${file}`]);
  const report = existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : null;
  passed += report?.numPassedTests ?? 0;
  failed += report === null ? 1 : report.numFailedTests + report.numRuntimeErrorTestSuites;
  if (!isGood && failed === 0) failed += 1;
}
if (building !== null && building.exitCode === 0) {
  const isGood = run('Browser tests', '.bin/playwright', ['test']);
  const file = join(results, 'browser.json');
  const report = existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : null;
  const flaky = report?.stats.flaky ?? 0;
  if (flaky > 0) console.log(`${flaky} of the browser stories passed only at the second try: see above.`);
  passed += (report?.stats.expected ?? 0) + flaky;
  failed += report === null ? 1 : report.stats.unexpected;
  if (!isGood && failed === 0) failed += 1;
}
begin('Done');
console.log(`\n${passed} passed, ${failed} failed`);
process.exitCode = failed === 0 ? 0 : 1;
