// `npm test`: lint, types, unit tests, then the browser tests against a fresh build. Ends with `N passed, N failed`.
// `--only unit` or `--only browser` runs a part.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync } from 'node:fs';
import { join } from 'node:path';
import { build } from './build.mjs';

const root = join(import.meta.dirname, '..');
const only = process.argv.includes('--only') ? process.argv[process.argv.indexOf('--only') + 1] : null;
const results = join(root, 'test-results');
let passed = 0;
let failed = 0;

function run(title, command, args) {
  console.log(`\n${title}`);
  const { status } = spawnSync(join(root, 'node_modules/.bin', command), args, {
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

rmSync(results, { recursive: true, force: true });
mkdirSync(results, { recursive: true });

if (only === null) {
  count(run('Lint', 'eslint', ['.', '--max-warnings', '0']));
  count(run('Boundaries', 'depcruise', ['src', '--config', '.dependency-cruiser.cjs', '--output-type', 'err']));
  count(run('Format', 'prettier', ['--check', '--log-level', 'warn', '.']));
  console.log('\nLicences');
  count(
    spawnSync(process.execPath, [join(root, 'scripts/licences.mjs'), '--quiet'], { stdio: 'inherit' }).status === 0,
  );
}
if (only !== 'browser') {
  const file = join(results, 'unit.json');
  const isGood = run('Unit tests', 'jest', ['--json', `--outputFile=${file}`]);
  const report = existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : null;
  passed += report?.numPassedTests ?? 0;
  failed += report === null ? 1 : report.numFailedTests + report.numRuntimeErrorTestSuites;
  if (!isGood && failed === 0) failed += 1;
}
if (only !== 'unit') {
  try {
    console.log('\nBuild (with types)');
    await build();
    count(true);
    const isGood = run('Browser tests', 'playwright', ['test']);
    const file = join(results, 'browser.json');
    const report = existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : null;
    const flaky = report?.stats.flaky ?? 0;
    if (flaky > 0) console.log(`${flaky} of the browser stories passed only at the second try: see above.`);
    passed += (report?.stats.expected ?? 0) + flaky;
    failed += report === null ? 1 : report.stats.unexpected;
    if (!isGood && failed === 0) failed += 1;
  } catch (error) {
    console.error(error.message);
    failed += 1;
  }
}
console.log(`\n${passed} passed, ${failed} failed`);
process.exitCode = failed === 0 ? 0 : 1;
