// Completes package-lock.json: with the optional platform packages that the registry in use does not serve, so that `npm ci` finds every optional
// dependency it expects; and with where each package is fetched from, which npm otherwise asks for package by package (40 s of processor of 100).
// Another registry that npm is set to takes the place of this one. Run after every change of a dependency:
//   rm -rf node_modules package-lock.json && npm install --package-lock-only && npm run lock:complete
import { readFileSync, writeFileSync } from 'node:fs';

const path = new URL('../package-lock.json', import.meta.url);
const lock = JSON.parse(readFileSync(path, 'utf8'));
const packages = lock.packages;

/** Where npm would look for `name` from the folder `from`: the nearest node_modules upwards. */
function resolvedFolder(from, name) {
  const parts = from === '' ? [] : from.split('/node_modules/');
  for (let depth = parts.length; depth >= 0; depth -= 1) {
    const base = parts.slice(0, depth).join('/node_modules/');
    const folder = base === '' ? `node_modules/${name}` : `${base}/node_modules/${name}`;
    if (packages[folder]) return folder;
  }
  return null;
}

/** `@next/swc-darwin-arm64` → the os and cpu it is for, as npm's own lock entries state them. */
function platformOf(name) {
  const words = name.split(/[/-]/);
  const os = [
    'darwin',
    'win32',
    'linux',
    'freebsd',
    'android',
    'openbsd',
    'netbsd',
    'sunos',
    'aix',
    'openharmony',
  ].find((w) => words.includes(w));
  const cpu = ['arm64', 'x64', 'arm', 'ia32', 'ppc64', 's390x', 'riscv64', 'loong64', 'mips64el', 'wasm32'].find((w) =>
    words.includes(w),
  );
  return { ...(os ? { os: [os] } : {}), ...(cpu ? { cpu: [cpu] } : {}) };
}

let added = 0;
for (const [folder, entry] of Object.entries(packages)) {
  for (const [name, version] of Object.entries(entry.optionalDependencies ?? {})) {
    if (resolvedFolder(folder, name)) continue;
    if (!/^\d+\.\d+\.\d+/.test(version)) {
      console.error(`left out: ${name}@${version} (wanted by ${folder}) names no exact version`);
      continue;
    }
    packages[`node_modules/${name}`] = { version, ...platformOf(name), optional: true };
    added += 1;
  }
}
let placed = 0;
for (const [folder, entry] of Object.entries(packages)) {
  if (folder === '' || entry.link || entry.resolved || !entry.integrity) continue;
  const name = entry.name ?? folder.replace(/^.*node_modules\//, '');
  const file = `${name.replace(/^@[^/]+\//, '')}-${entry.version}.tgz`;
  // In the place where npm writes it.
  const { version, name: alias, ...rest } = entry;
  packages[folder] = {
    ...(alias ? { name: alias } : {}),
    version,
    resolved: `https://registry.npmjs.org/${name}/-/${file}`,
    ...rest,
  };
  placed += 1;
}
lock.packages = Object.fromEntries(Object.entries(packages).sort(([a], [b]) => (a < b ? -1 : a > b ? 1 : 0)));
writeFileSync(path, `${JSON.stringify(lock, null, 2)}\n`);
console.log(`package-lock.json: ${added} optional entries added, ${placed} places to fetch from`);
