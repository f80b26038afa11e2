// `npm run demo`: everything from a fresh clone to a running Skerry Point. Flags: --dev (rebuilds as you edit), --no-build.
import { join } from 'node:path';
import { build } from './build.mjs';
import { fillDemo, startApp, startStandins } from './stack.mjs';

const root = join(import.meta.dirname, '..');
const flag = (name) => process.argv.includes(name);
const options = {
  dataFolder: process.env.JADE_DATA ?? join(root, 'data'),
  port: Number(process.env.PORT ?? 3000),
  registryPort: Number(process.env.JADE_REGISTRY_PORT ?? 8870),
  panelPort: Number(process.env.JADE_PANEL_PORT ?? 8871),
  devicePort: Number(process.env.JADE_DEVICE_PORT ?? 8080),
  sapPort: Number(process.env.JADE_SAP_PORT ?? 9875),
  isDev: flag('--dev'),
};

if (!flag('--no-build')) {
  console.log('Preparing …');
  await build();
}
const running = [];
let isStopping = false;
async function stop(code = 0) {
  if (isStopping) return;
  isStopping = true;
  await Promise.all(running.map((part) => part.stop()));
  process.exit(code);
}
process.on('SIGINT', () => void stop());
process.on('SIGTERM', () => void stop());

let plan;
try {
  console.log('Starting the stand-ins …');
  running.push(await startStandins(options));
  console.log('Starting the application …');
  running.push(await startApp(options));
  console.log('Filling the database with Skerry Point …');
  plan = await fillDemo(options, console.log);
} catch (error) {
  console.error(`The demo could not start: ${error.message}`);
  await stop(1);
}
for (const part of running) part.child.on('exit', () => void stop(1));

console.log(`
Jade Lane     http://127.0.0.1:${options.port}/
Skerry Point  http://127.0.0.1:${options.port}/plans/${plan.id}/lanes
Front panels  http://127.0.0.1:${options.panelPort}/   (unplug and plug the simulated devices)

Stop with Ctrl-C. What you changed is kept in ${options.dataFolder}.`);
