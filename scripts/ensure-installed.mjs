// Installs what is missing, on a fresh machine too: node_modules as package-lock.json has them, the database compiled, and for tests
// Chromium from Debian's packages. Uses nothing but Node, because node_modules may not be there yet.
import { spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { closeSync, existsSync, mkdtempSync, openSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { CHROMIUM_PACKAGE, installedChromium, isChromiumAsWanted } from './chromium.mjs';

const root = join(import.meta.dirname, '..');
const DATABASE = 'node_modules/better-sqlite3/build/Release/better_sqlite3.node';

/** Searching in texts and in areas, which no query of ours does, takes a third of the database's compiling. */
const LEFT_OUT = ['FTS3', 'FTS3_PARENTHESIS', 'FTS4', 'FTS5', 'RTREE', 'GEOPOLY'].map(
  (part) => `-USQLITE_ENABLE_${part}`,
);

/** The database is compiled with -O1, in half the time of -O2 (its package asks for -O3): 100,000 records are written and read as quickly with either. */
const npmEnv = {
  ...process.env,
  npm_config_build_from_source: 'better-sqlite3',
  NEXT_TELEMETRY_DISABLED: '1',
  CFLAGS: ['-O1', ...LEFT_OUT].join(' '),
  CXXFLAGS: '-O1',
};

function refuse(message) {
  console.error(message);
  process.exit(1);
}

function ensureNode() {
  const [major = 0] = process.versions.node.split('.').map(Number);
  if (major < 20) refuse(`Jade Lane needs Node 20 or newer; this is ${process.versions.node}.`);
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

/** Everything but the database, which takes most of the time: that is compiled by `databaseCompiled`. */
export function ensurePackages() {
  ensureNode();
  if (isInstalled()) return console.log('Packages: all there.');
  console.log('Packages: installing (half a minute or more) …');
  const args = ['ci', '--ignore-scripts', '--no-audit', '--no-fund', '--loglevel=error'];
  const { status } = spawnSync('npm', args, { cwd: root, stdio: 'inherit', env: npmEnv });
  if (status !== 0) refuse('npm ci failed: see above. Jade Lane needs the npm registry.');
}

/** Resolves once the database can be used. Begins at once, and leaves one core free for something else. */
export async function databaseCompiled() {
  if (existsSync(join(root, DATABASE))) return;
  const folder = mkdtempSync(join(tmpdir(), 'jade-lane-install-'));
  const logFile = join(folder, 'database.log');
  const log = openSync(logFile, 'w');
  const args = ['rebuild', 'better-sqlite3', '--foreground-scripts', '--loglevel=error'];
  const [code] = await once(spawn('npm', args, { cwd: root, stdio: ['ignore', log, log], env: npmEnv }), 'exit');
  closeSync(log);
  if (code !== 0 || !existsSync(join(root, DATABASE)))
    refuse(
      `${readFileSync(logFile, 'utf8')}\nThe database was not compiled: see above. It needs python3, make and g++.`,
    );
  rmSync(folder, { recursive: true });
}

/** Where only the whole browser is there and the lighter one cannot be had, the whole one does as well. */
export function ensureBrowser() {
  if (isChromiumAsWanted()) return;
  console.log('Chromium: installing from Debian’s packages …');
  const run = (args) =>
    spawnSync('apt-get', args, {
      stdio: ['ignore', 'ignore', 'inherit'],
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    });
  run(['update']);
  run(['install', '-y', '--no-install-recommends', CHROMIUM_PACKAGE]);
  if (installedChromium() === null)
    refuse(
      `Chromium is not there and could not be installed.\nInstall it by hand (as root: apt-get install ${CHROMIUM_PACKAGE}) and run npm test again.`,
    );
}

if (process.argv[1] === import.meta.filename) {
  ensurePackages();
  if (!existsSync(join(root, DATABASE))) console.log('Database: compiling (a minute or two) …');
  await databaseCompiled();
}
