// The command line: bundles src/cli/jade.ts when it changed, then runs it in this process.
import { pathToFileURL } from 'node:url';
import { bundled } from './run-ts.mjs';

const file = await bundled('src/cli/jade.ts', {
  packages: 'bundle',
  watchFolders: ['src/core', 'src/demo', 'src/cli'],
});
process.argv.splice(1, 1, file);
await import(pathToFileURL(file).href);
