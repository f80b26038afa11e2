import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import AxeBuilder from '@axe-core/playwright';
import { test as base, expect, type Locator, type Page } from '@playwright/test';

interface Part {
  stop(signal?: NodeJS.Signals): Promise<void>;
}
interface StackModule {
  startStandins(options: object): Promise<Part>;
  startApp(options: object): Promise<Part>;
  fillDemo(options: object): Promise<{ id: string }>;
}

/** The whole product on ports of its own, with a database and devices that begin anew for each test file. */
export interface Stack {
  readonly url: string;
  readonly planId: string;
  readonly lanes: string;
  readonly gear: string;
  /** As a hand would: pulls a stand-in's plug, puts it back, slows it down. */
  panel(id: string, verb: 'plug' | 'unplug' | 'delay' | 'reference' | 'rate', body?: object): Promise<void>;
  /** Switches a stand-in that only announces its streams on or off. */
  announcer(id: string, verb: 'plug' | 'unplug'): Promise<void>;
  /** How a socket of a stand-in switch comes up; as planned again when only the socket is named. */
  comeUp(switchId: string, body: { port: string; bitsPerSecond?: number; duplex?: 'full' | 'half' }): Promise<void>;
  /** Kills the application as `kill -9` does, and starts it again on the same database. */
  killAndRestart(): Promise<void>;
}

/** Workers are used again for file after file: a file that names itself gets one of its own, and so a stack of its own. */
export const test = base.extend<object, { stack: Stack; own: string }>({
  own: ['', { scope: 'worker', option: true }],
  stack: [
    async ({}, provide) => {
      // Computed, so that the type checker does not read the plain script.
      const path = '../scripts/stack.mjs';
      const { startStandins, startApp, fillDemo } = (await import(path)) as StackModule;
      const dataFolder = mkdtempSync(join(tmpdir(), 'jade-lane-e2e-'));
      const options = {
        dataFolder,
        port: 3391,
        registryPort: 18_970,
        panelPort: 18_971,
        devicePort: 18_972,
        sapPort: 18_973,
        announceMs: 1000,
        expiryMs: 3000,
        heartbeatMs: 1000,
        isQuiet: true,
      };
      const running: Part[] = [];
      try {
        running.push(await startStandins(options));
        let app = await startApp(options);
        running.push({ stop: () => app.stop() });
        const { id } = await fillDemo(options);
        const url = `http://127.0.0.1:${options.port}`;
        await provide({
          url,
          planId: id,
          lanes: `${url}/plans/${id}/lanes`,
          gear: `${url}/plans/${id}/gear`,
          async panel(deviceId, verb, body = {}) {
            const response = await fetch(`http://127.0.0.1:${options.panelPort}/standins/${deviceId}/${verb}`, {
              method: 'POST',
              headers: { 'content-type': 'application/json' },
              body: JSON.stringify(body),
            });
            expect(response.ok).toBe(true);
          },
          async announcer(id, verb) {
            const response = await fetch(`http://127.0.0.1:${options.panelPort}/announcers/${id}/${verb}`, {
              method: 'POST',
            });
            expect(response.ok).toBe(true);
          },
          async comeUp(switchId, body) {
            const response = await fetch(`http://127.0.0.1:${options.panelPort}/switches/${switchId}/come-up`, {
              method: 'POST',
              headers: { 'content-type': 'application/json' },
              body: JSON.stringify(body),
            });
            expect(response.ok).toBe(true);
          },
          async killAndRestart() {
            await app.stop('SIGKILL');
            app = await startApp(options);
          },
        });
      } finally {
        // Also where a start failed: what goes on running would answer the next file's tests.
        for (const part of running.reverse()) await part.stop();
        rmSync(dataFolder, { recursive: true, force: true });
      }
    },
    { scope: 'worker', timeout: 400_000 },
  ],
});

export { expect };

/** Until nothing moves any more and all letters are there: what is half faded in has no contrast of its own. */
async function atRest(page: Page): Promise<void> {
  await page.evaluate(async () => {
    await document.fonts.ready;
    await Promise.all(document.getAnimations().map((a) => a.finished.catch(() => undefined)));
  });
}

/** All that can differ from theme to theme. The rest is looked at in the light one. */
const RULES_OF_THEMES = ['color-contrast', 'link-in-text-block'];

/**
 * Accessibility faults of what the page shows, each with its rule and where it is. The woven ribbons are looked at by
 * themselves: among everything else their many shapes make the analysis ten times as long.
 */
export async function faults(page: Page, within: string | null = null): Promise<string[]> {
  await atRest(page);
  const isDark = await page.evaluate(() => matchMedia('(prefers-color-scheme: dark)').matches);
  const axe = () => {
    const builder = new AxeBuilder({ page }).options({ resultTypes: ['violations'] });
    return isDark ? builder.withRules(RULES_OF_THEMES) : builder;
  };
  const violations = async (builder: AxeBuilder) => (await builder.analyze()).violations;
  const isWoven = within === null && (await page.locator('[data-woven]').count()) > 0;
  const rest = within === null ? axe().exclude('[data-woven]') : axe().include(within);
  const found = [...(await violations(rest)), ...(isWoven ? await violations(axe().include('[data-woven]')) : [])];
  return found.map((v) => `${v.id}: ${v.nodes[0]?.html ?? ''}`);
}

/** One lane of the sheet. */
/** Chooses from a searchable list by what one would type. */
export async function pick(scope: Locator, label: string | RegExp, words: string): Promise<void> {
  const field = scope.getByRole('combobox', { name: label });
  // What stands there already would not count as typed.
  await field.fill('');
  await field.fill(words);
  await scope.page().getByRole('option', { name: words }).first().click();
  await expect(scope.page().getByRole('listbox')).toHaveCount(0);
}

export const lane = (page: Page, deviceId: string, channel: number) =>
  page.locator(`[data-lane="${deviceId}:${channel}"]`);

/** Selects a run of channels of a device by mouse, as a person does: filter, press, press with Shift. */
export async function selectRun(
  page: Page,
  deviceId: string,
  name: string,
  first: number,
  last: number,
): Promise<void> {
  await page.getByRole('searchbox', { name: 'Filter lanes' }).fill(name);
  await lane(page, deviceId, first).click();
  await lane(page, deviceId, last).click({ modifiers: ['Shift'] });
}

export async function expectStates(
  page: Page,
  deviceId: string,
  channels: readonly number[],
  state: string,
  timeout = 15_000,
): Promise<void> {
  for (const channel of channels) {
    await expect(lane(page, deviceId, channel).locator('[data-state]')).toHaveAttribute('data-state', state, {
      timeout,
    });
  }
}
