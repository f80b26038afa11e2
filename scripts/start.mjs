// `npm start`: the application alone, against what is configured (docs/settings.md). No stand-ins, no demo data.
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { build } from './build.mjs';
import { SERVER_ARGS, SERVER_ENV } from './stack.mjs';

await build();
const child = spawn(process.execPath, SERVER_ARGS, {
  cwd: join(import.meta.dirname, '..'),
  stdio: 'inherit',
  env: { ...SERVER_ENV, NODE_ENV: 'production' },
});
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child.kill(signal));
child.on('exit', (code) => process.exit(code ?? 1));
