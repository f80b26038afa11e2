// Bundles a TypeScript file with esbuild and runs it: what the benchmark and the command line are started with. The bundle
// is kept under build/ and made again when a source file is newer.
import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync, statSync } from 'node:fs';
import { join } from 'node:path';

const root = join(import.meta.dirname, '..');

function newestChange(folder) {
  let newest = 0;
  for (const entry of readdirSync(folder, { withFileTypes: true })) {
    const path = join(folder, entry.name);
    newest = Math.max(newest, entry.isDirectory() ? newestChange(path) : statSync(path).mtimeMs);
  }
  return newest;
}

/** Bundles `entry` (a path from the project's root) into build/, with packages left outside, and returns the file. */
export async function bundled(
  entry,
  { packages = 'external', watchFolders = ['src/core', 'src/demo', 'src/field'] } = {},
) {
  const file = join(root, 'build', entry.replace(/\.ts$/, '.mjs').replaceAll('/', '-'));
  const newest = Math.max(statSync(join(root, entry)).mtimeMs, ...watchFolders.map((f) => newestChange(join(root, f))));
  if (!existsSync(file) || statSync(file).mtimeMs < newest) {
    // Mostly there is nothing to do: then this is not even read.
    const { build } = await import('esbuild');
    await build({
      entryPoints: [join(root, entry)],
      outfile: file,
      bundle: true,
      platform: 'node',
      format: 'esm',
      target: 'node20',
      packages,
      sourcemap: true,
      logLevel: 'error',
      tsconfig: join(root, 'tsconfig.json'),
      banner:
        packages === 'bundle'
          ? { js: "import { createRequire } from 'node:module'; const require = createRequire(import.meta.url);" }
          : {},
    });
  }
  return file;
}

if (process.argv[1] === import.meta.filename) {
  const [entry, ...args] = process.argv.slice(2);
  const file = await bundled(entry);
  const { status } = spawnSync(process.execPath, ['--enable-source-maps', file, ...args], { stdio: 'inherit' });
  process.exit(status ?? 1);
}
