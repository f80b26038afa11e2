// Builds the application (unless nothing changed since the last build) and bundles the stand-ins.
import { createHash } from 'node:crypto';
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { gzipSync } from 'node:zlib';
import { bundled } from './run-ts.mjs';

const root = join(import.meta.dirname, '..');
const stampFile = join(root, '.next/jade-build');

function filesBelow(folder) {
  return readdirSync(join(root, folder), { withFileTypes: true }).flatMap((entry) => {
    const path = join(folder, entry.name);
    return entry.isDirectory() ? filesBelow(path) : [path];
  });
}

/** A fingerprint of everything the build depends on. Tests do not count. */
function fingerprint() {
  const hash = createHash('sha256');
  const files = [
    'package-lock.json',
    'next.config.ts',
    'postcss.config.mjs',
    'tsconfig.json',
    ...filesBelow('src').sort(),
  ];
  for (const file of files) {
    if (/\.test\.tsx?$/.test(file) || !existsSync(join(root, file))) continue;
    hash.update(file).update(readFileSync(join(root, file)));
  }
  return hash.digest('hex');
}

export async function build() {
  await bundled('src/standins/main.ts', { watchFolders: ['src/standins', 'src/registry', 'src/core'] });
  await bundled('src/demo/write-demo.ts');
  await bundled('src/server/requests/large.worker.ts', { watchFolders: ['src/server', 'src/core'] });
  await bundled('src/server/main.ts', { watchFolders: ['src/server', 'src/core', 'src/field', 'src/registry'] });
  const now = fingerprint();
  if (existsSync(stampFile) && readFileSync(stampFile, 'utf8') === now) return;
  console.log('Building the application (about a minute) …');
  const next = () =>
    spawnSync(process.execPath, ['node_modules/next/dist/bin/next', 'build'], {
      cwd: root,
      stdio: ['ignore', 'pipe', 'pipe'],
      encoding: 'utf8',
      env: { ...process.env, NODE_ENV: 'production', NEXT_TELEMETRY_DISABLED: '1' },
    });
  let result = next();
  if (result.status !== 0) {
    // A build that failed can leave a .next behind that makes every later one fail: once more from nothing.
    rmSync(join(root, '.next'), { recursive: true, force: true });
    result = next();
  }
  if (result.status !== 0) {
    console.error(result.stdout + result.stderr);
    throw new Error('the build failed');
  }
  // The server sends these as they are to every browser that takes gzip.
  for (const file of filesBelow('.next/static').filter((f) => /\.(js|css|svg|json)$/.test(f))) {
    writeFileSync(join(root, `${file}.gz`), gzipSync(readFileSync(join(root, file)), { level: 9 }));
  }
  mkdirSync(join(root, '.next'), { recursive: true });
  writeFileSync(stampFile, now);
}

if (process.argv[1] === import.meta.filename) await build();
