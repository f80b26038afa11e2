// Starts the stand-ins and the application and waits until both answer. The demo and the browser tests share it.
import { fork, spawn, spawnSync } from 'node:child_process';
import { existsSync, readFileSync } from 'node:fs';
import { join } from 'node:path';

const root = join(import.meta.dirname, '..');

/** @typedef {{ dataFolder: string, port: number, registryPort: number, panelPort: number, devicePort: number, sapPort: number, announceMs?: number, expiryMs?: number, heartbeatMs?: number, isDev?: boolean, isQuiet?: boolean }} StackOptions */

/**
 * How the server is started. Its memory grows in small steps before it is cleaned up: with thousands of devices that halves what it takes, for some
 * percent of a processor. Half the usual room for new objects takes 16 MB less.
 */
export const SERVER_ARGS = [
  '--heap-growing-percent=20',
  '--max-semi-space-size=8',
  join(root, 'build/src-server-main.mjs'),
];

/**
 * The environment it is started in: memory that was given back is used again by all threads, which saves some 20 MB; and what was large, as a plan that
 * is told to a page, goes back to the system at once.
 */
export const SERVER_ENV = {
  NODE_ENV: 'production',
  NEXT_TELEMETRY_DISABLED: '1',
  MALLOC_ARENA_MAX: '2',
  MALLOC_MMAP_THRESHOLD_: '262144',
  MALLOC_TRIM_THRESHOLD_: '262144',
  ...process.env,
};

/** Stand-ins are many devices in one process: with more room for new objects fewer of them are copied, and the others have the processor. */
const STANDINS_ARGS = ['--max-semi-space-size=64'];

async function until(what, check, { timeoutMs = 120_000, everyMs = 100, child } = {}) {
  const end = Date.now() + timeoutMs;
  for (;;) {
    if (child && child.exitCode !== null) throw new Error(`${what} stopped at once: see above`);
    if (await check().catch(() => false)) return;
    if (Date.now() > end) throw new Error(`${what} did not come up within ${timeoutMs / 1000} s`);
    await new Promise((resolve) => setTimeout(resolve, everyMs));
  }
}

/** Until a process that was started answers; one that never does is stopped, so that its ports are free again. */
async function answers(what, url, child) {
  try {
    await until(what, async () => (await fetch(url)).ok, { child });
  } catch (error) {
    await stopped(child, 'SIGKILL');
    throw error;
  }
}

/** @param {StackOptions} options */
export async function startStandins(options) {
  if (!existsSync(join(options.dataFolder, 'demo-announcers.json'))) {
    const { status } = spawnSync(process.execPath, [join(root, 'build/src-demo-write-demo.mjs'), options.dataFolder], {
      stdio: 'inherit',
    });
    if (status !== 0) throw new Error('the demo data could not be written');
  }
  const settings = {
    planFile: join(options.dataFolder, 'demo-plan.json'),
    stateFile: join(options.dataFolder, 'standins.json'),
    registryPort: options.registryPort,
    panelPort: options.panelPort,
    devicePort: options.devicePort,
    expiryMs: options.expiryMs,
    heartbeatMs: options.heartbeatMs,
    strangers: JSON.parse(readFileSync(join(options.dataFolder, 'demo-strangers.json'), 'utf8')),
    announcers: JSON.parse(readFileSync(join(options.dataFolder, 'demo-announcers.json'), 'utf8')),
    announcePort: options.sapPort,
    announceMs: options.announceMs,
    deviations: JSON.parse(readFileSync(join(options.dataFolder, 'demo-deviations.json'), 'utf8')),
  };
  const child = fork(join(root, 'build/src-standins-main.mjs'), [JSON.stringify(settings)], {
    stdio: ['ignore', options.isQuiet ? 'ignore' : 'pipe', 'inherit', 'ipc'],
    execArgv: STANDINS_ARGS,
  });
  await answers('the stand-ins', `http://127.0.0.1:${options.panelPort}/standins`, child);
  return { child, stop: () => stopped(child, 'SIGTERM') };
}

/** @param {StackOptions} options */
export async function startApp(options) {
  const child = spawn(
    process.execPath,
    options.isDev
      ? ['node_modules/next/dist/bin/next', 'dev', '-p', String(options.port), '-H', '127.0.0.1']
      : SERVER_ARGS,
    {
      cwd: root,
      stdio: ['ignore', options.isDev ? 'inherit' : 'ignore', 'inherit'],
      env: {
        ...SERVER_ENV,
        NODE_ENV: options.isDev ? 'development' : 'production',
        PORT: String(options.port),
        JADE_LOG: 'warn',
        JADE_DATA: options.dataFolder,
        JADE_REGISTRY: `http://127.0.0.1:${options.registryPort}`,
        JADE_TRANSLATE: '10.=127.',
        JADE_RESTCONF_PORT: String(options.devicePort),
        JADE_SAP: `127.0.0.1:${options.sapPort}`,
        ...options.settings,
      },
    },
  );
  await answers('the application', `http://127.0.0.1:${options.port}/api/plans`, child);
  return { child, stop: (signal = 'SIGTERM') => stopped(child, signal) };
}

function stopped(child, signal) {
  if (child.exitCode !== null || child.signalCode !== null) return Promise.resolve();
  return new Promise((resolve) => {
    child.once('exit', resolve);
    child.kill(signal);
    if (signal === 'SIGTERM') setTimeout(() => child.kill('SIGKILL'), 3000).unref();
  });
}

export async function post(url, body = {}) {
  const response = await fetch(url, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify(body),
  });
  const value = await response.json();
  if (!response.ok) throw new Error(`${url}: ${JSON.stringify(value)}`);
  return value;
}

/** Asking is work for those who are asked: on a slow machine often asked is later ready. */
const POLL = { timeoutMs: 240_000, everyMs: 400 };
const DEMO_AUTHOR = { id: 'demo', name: 'Demo' };

/**
 * Makes the demo plan where it is missing, sends it to the stand-ins through the product itself, and then changes a few
 * stand-ins behind its back, so that there is something to find.
 * @param {StackOptions} options
 */
export async function fillDemo(options, say = () => {}) {
  const app = `http://127.0.0.1:${options.port}/api/plans`;
  const panel = `http://127.0.0.1:${options.panelPort}/standins`;
  const { plan, isNew } = await post(`${app}/demo`);
  if (!isNew) return plan;
  const { file } = await (await fetch(`${app}/${plan.id}`)).json();
  const channels = file.subscriptions.map((s) => ({ deviceId: s.receiverDeviceId, channel: s.receiverChannel }));
  // All stand-ins that can answer are registered with all they have, and nothing has changed for a while.
  const there = (await (await fetch(panel)).json()).filter((s) => s.isPlugged && s.fault === null);
  const sum = (field) => there.reduce((total, s) => total + s[field], 0);
  const wanted = [there.length, sum('streamsSend'), sum('streamsReceive')];
  const registry = `http://127.0.0.1:${options.registryPort}/x-nmos/query/v1.3`;
  let last = '';
  let since = Date.now();
  await until(
    'the field',
    async () => {
      const lists = ['nodes', 'senders', 'receivers'].map((list) => fetch(`${registry}/${list}?paging.limit=1000`));
      const counts = await Promise.all(lists.map(async (list) => (await (await list).json()).length));
      if (counts.some((n, i) => n < wanted[i])) return false;
      const { receivers } = await post(`${app}/${plan.id}/send/preview`, { channels });
      const now = [...counts, receivers.length].join();
      if (now !== last) since = Date.now();
      last = now;
      return receivers.length > 0 && Date.now() - since > 2500;
    },
    POLL,
  );
  say(`Sending ${channels.length} lanes of the demo to the stand-ins …`);
  for (let attempt = 1; attempt <= 3; attempt += 1) {
    const report = await post(`${app}/${plan.id}/send`, { channels, start: true, author: DEMO_AUTHOR });
    const failed = report.devices.filter((d) => d.failed.length > 0);
    if (failed.length === 0) break;
    say(`Not taken by ${failed.map((d) => d.deviceId).join(', ')}${attempt < 3 ? ': trying again …' : ''}`);
    await new Promise((resolve) => setTimeout(resolve, 2000));
  }
  // Someone took a channel off at the device itself.
  const takeOff = {
    activation: { mode: 'activate_immediate' },
    action: { receives: { 7: { input: null, channel_index: null } } },
  };
  await post(`http://127.71.52.34:${options.devicePort}/x-nmos/channelmapping/v1.0/map/activations`, takeOff);
  await post(`${panel}/exhibit-14/unplug`);
  await post(`${panel}/wave-amp-2/rename`, { label: 'Wave amp two (old name)' });
  return plan;
}
