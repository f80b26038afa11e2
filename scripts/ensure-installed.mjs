// Installs what is missing, on a fresh machine too: node_modules as package-lock.json has them, and (--browser) Chromium
// from Debian's packages. Uses nothing but Node, because node_modules may not be there yet.
import { spawnSync } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

const root = join(import.meta.dirname, '..');
const [major = 0] = process.versions.node.split('.').map(Number);
if (major < 20) {
  console.error(`Jade Lane needs Node 20 or newer; this is ${process.versions.node}.`);
  process.exit(1);
}

/** Whether every package of the lock that must be there is there in the version the lock names. */
function isInstalled() {
  const readLock = (path) => JSON.parse(readFileSync(join(root, path), 'utf8')).packages;
  if (!existsSync(join(root, 'node_modules/.package-lock.json'))) return false;
  const wanted = readLock('package-lock.json');
  const present = readLock('node_modules/.package-lock.json');
  return Object.entries(wanted).every(
    ([path, entry]) => path === '' || entry.optional || entry.peer || present[path]?.version === entry.version,
  );
}

if (isInstalled()) console.log('Packages: all there.');
else {
  console.log('Packages: installing (a few minutes, the database is compiled) …');
  const { status } = spawnSync('npm', ['ci', '--no-audit', '--no-fund', '--loglevel=error'], {
    cwd: root,
    stdio: 'inherit',
    env: { ...process.env, npm_config_build_from_source: 'better-sqlite3', NEXT_TELEMETRY_DISABLED: '1' },
  });
  if (status !== 0) {
    console.error('npm ci failed: see above. Jade Lane needs the npm registry, python3, make and g++.');
    process.exit(1);
  }
}

const CHROMIUM = '/usr/bin/chromium';
if (process.argv.includes('--browser') && !existsSync(CHROMIUM)) {
  console.log('Chromium: installing from Debian’s packages …');
  const run = (args) =>
    spawnSync('apt-get', args, {
      stdio: ['ignore', 'ignore', 'inherit'],
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    });
  run(['update']);
  const { status, error } = run(['install', '-y', '--no-install-recommends', 'chromium']);
  if (error || status !== 0 || !existsSync(CHROMIUM)) {
    console.error(
      `Chromium is not at ${CHROMIUM} and could not be installed.\nInstall it by hand (as root: apt-get install chromium) and run npm test again.`,
    );
    process.exit(1);
  }
}
