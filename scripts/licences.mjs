// `npm run licences`: the licence of every package that ships with the application, from the lock and the packages themselves. Fails where a
// package names none, names one that was not looked at, or stands in the lock without its checksum.
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

const root = join(import.meta.dirname, '..');
/** Licences under which a package may ship with this application. */
const KNOWN = new Set([
  'MIT',
  'ISC',
  'Apache-2.0',
  'BSD-2-Clause',
  'BSD-3-Clause',
  '0BSD',
  'OFL-1.1',
  'EPL-2.0',
  'CC-BY-4.0',
  'MPL-2.0',
  'LGPL-3.0-or-later',
  'Unlicense',
  'BlueOak-1.0.0',
  'Python-2.0',
]);

const lock = JSON.parse(readFileSync(join(root, 'package-lock.json'), 'utf8'));
const rows = [];
const problems = [];
for (const [path, entry] of Object.entries(lock.packages)) {
  if (path === '' || entry.link) continue;
  const name = path.replace(/^.*node_modules\//, '');
  if (entry.resolved !== undefined && !entry.integrity) problems.push(`${name}: no checksum in the lock`);
  if (entry.dev || entry.devOptional) continue;
  const file = join(root, path, 'package.json');
  // What is for other systems is not installed here; the lock mostly says its licence.
  const own = existsSync(file) ? JSON.parse(readFileSync(file, 'utf8')) : {};
  const said = own.license ?? entry.license;
  const licence = typeof said === 'object' ? said?.type : said;
  if (licence === undefined && entry.optional) continue;
  const parts = String(licence ?? '')
    .replace(/[()]/g, '')
    .split(/ OR | AND /);
  const isKnown = String(licence).includes(' OR ') ? parts.some((p) => KNOWN.has(p)) : parts.every((p) => KNOWN.has(p));
  if (!isKnown) problems.push(`${name}: ${licence ?? 'names no licence'}`);
  rows.push([licence ?? '–', `${name} ${own.version ?? entry.version}`]);
}
if (!process.argv.includes('--quiet')) {
  rows.sort((a, b) => (a.join() < b.join() ? -1 : 1));
  for (const row of rows) console.log(row.join('\t'));
}
console.log(`${rows.length} packages ship; ${problems.length} problems.`);
for (const problem of problems) console.error(problem);
process.exit(problems.length > 0 ? 1 : 0);
