// `npm start`: the application alone, against what is configured (docs/settings.md). No stand-ins, no demo data.
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { build } from './build.mjs';
import { SERVER_ARGS } from './stack.mjs';

await build();
const child = spawn(process.execPath, SERVER_ARGS, {
  cwd: join(import.meta.dirname, '..'),
  stdio: 'inherit',
  env: { ...process.env, NODE_ENV: 'production', NEXT_TELEMETRY_DISABLED: '1' },
});
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => child.kill(signal));
child.on('exit', (code) => process.exit(code ?? 1));
