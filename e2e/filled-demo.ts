import { cpSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { PlanFile } from '../src/core/formats/plan-file';

/** The ports of a stack: each of those that run beside one another has its own. */
export const portsOf = (place: number) => ({
  port: 3391 + place,
  registryPort: 18_900 + 10 * place,
  panelPort: 18_901 + 10 * place,
  devicePort: 18_902 + 10 * place,
  sapPort: 18_903 + 10 * place,
  announceMs: 1000,
  expiryMs: 12_000,
  heartbeatMs: 4000,
  isQuiet: true,
});
export type StackOptions = ReturnType<typeof portsOf> & { readonly dataFolder: string };

export interface Part {
  stop(signal?: NodeJS.Signals): Promise<void>;
}
interface StackModule {
  startStandins(options: StackOptions): Promise<Part>;
  startApp(options: StackOptions): Promise<Part>;
  fillDemo(options: StackOptions): Promise<{ id: string }>;
}
// Computed, so that the type checker does not read the plain script.
const path = '../scripts/stack.mjs';
export const stackModule = () => import(path) as Promise<StackModule>;

/** The demo once it was sent and nothing moves any more. */
interface Filled {
  readonly planId: string;
  readonly field: string;
}

/** Set for the processes that run stories: where the filled demo is. */
const FOLDER = 'STORIES_FILLED_DEMO';

/** How the field stands: who answers, and what of the plan's lanes would have to be told to whom. */
async function fieldOf(port: number, planId: string): Promise<string> {
  const plan = `http://127.0.0.1:${port}/api/plans/${planId}`;
  const read = async (answer: Promise<Response>) => (await answer).json() as Promise<Record<string, unknown>>;
  const { field } = await read(fetch(`${plan}/overview`));
  const { file } = (await read(fetch(plan))) as unknown as { file: PlanFile };
  const channels = file.subscriptions.map((s) => ({ deviceId: s.receiverDeviceId, channel: s.receiverChannel }));
  const told = await read(
    fetch(`${plan}/send/preview`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ channels }),
    }),
  );
  return JSON.stringify({ field, told });
}

/** Until the field stands as it did for a while, or as it is expected to. */
async function settled(port: number, planId: string, expected: string | null): Promise<string> {
  const end = Date.now() + 120_000;
  let last = '';
  let since = Date.now();
  for (;;) {
    const now = await fieldOf(port, planId);
    if (now === expected) return now;
    if (now !== last) since = Date.now();
    if (expected === null && Date.now() - since > 3000) return now;
    if (Date.now() > end)
      throw new Error(`the field came to ${now.slice(0, 2000)}, not to ${expected?.slice(0, 2000) ?? 'rest'}`);
    last = now;
    await new Promise((resolve) => setTimeout(resolve, 400));
  }
}

/**
 * Makes the demo once: its plan sent to the stand-ins through the product itself. Every file of stories begins with a copy of it, so
 * that it is sent once only.
 */
export default async function fillOnce(): Promise<() => void> {
  const { startStandins, startApp, fillDemo } = await stackModule();
  const dataFolder = mkdtempSync(join(tmpdir(), 'jade-lane-filled-'));
  const running: Part[] = [];
  try {
    const options = { ...portsOf(0), dataFolder };
    running.push(await startStandins(options));
    running.push(await startApp(options));
    const { id: planId } = await fillDemo(options);
    const filled: Filled = { planId, field: await settled(options.port, planId, null) };
    writeFileSync(join(dataFolder, 'filled.json'), JSON.stringify(filled));
  } finally {
    for (const part of running.reverse()) await part.stop();
  }
  process.env[FOLDER] = dataFolder;
  return () => rmSync(dataFolder, { recursive: true, force: true });
}

/** Copies the filled demo into a folder; what it gives back waits until a stack that runs on the copy shows the same field. */
export function copyFilledDemo({ port, dataFolder }: StackOptions): { planId: string; standing(): Promise<unknown> } {
  const from = process.env[FOLDER];
  if (from === undefined) throw new Error('the demo was not filled: see globalSetup in playwright.config.mjs');
  cpSync(from, dataFolder, { recursive: true });
  const { planId, field } = JSON.parse(readFileSync(join(from, 'filled.json'), 'utf8')) as Filled;
  return { planId, standing: () => settled(port, planId, field) };
}
