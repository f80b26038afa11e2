import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { test as base, expect, type Locator, type Page } from '@playwright/test';
import axe, { type RunOptions } from 'axe-core';
import { slowDown } from './slow';
import { copyFilledDemo, portsOf, stackModule, type Part } from './filled-demo';

/** The whole product on ports of its own, with a database and devices that begin again for each test file. */
export interface Stack {
  readonly url: string;
  readonly devicePort: number;
  readonly planId: string;
  readonly lanes: string;
  readonly gear: string;
  /** As a hand would: pulls a stand-in's plug, puts it back, slows it down. */
  panel(
    id: string,
    verb: 'plug' | 'unplug' | 'delay' | 'reference' | 'rate' | 'patch' | 'battery',
    body?: object,
  ): Promise<void>;
  /** Switches a stand-in that only announces its streams on or off. */
  announcer(id: string, verb: 'plug' | 'unplug'): Promise<void>;
  /** How a socket of a stand-in switch comes up; as planned again when only the socket is named. */
  comeUp(switchId: string, body: { port: string; bitsPerSecond?: number; duplex?: 'full' | 'half' }): Promise<void>;
  /** Kills the application as `kill -9` does, and starts it again on the same database. */
  killAndRestart(): Promise<void>;
}

/** Each spec file is a project (playwright.config.mjs), and so has workers, and a stack, of its own. */
export const test = base.extend<object, { stack: Stack }>({
  context: async ({ context }, provide) => {
    await slowDown(context);
    await provide(context);
  },
  stack: [
    async ({}, provide, { parallelIndex }) => {
      const { startStandins, startApp } = await stackModule();
      const dataFolder = mkdtempSync(join(tmpdir(), 'jade-lane-e2e-'));
      const options = { ...portsOf(parallelIndex), dataFolder };
      const running: Part[] = [];
      try {
        const { planId, standing } = copyFilledDemo(options);
        running.push(await startStandins(options));
        let app = await startApp(options);
        running.push({ stop: () => app.stop() });
        await standing();
        const url = `http://127.0.0.1:${options.port}`;
        await provide({
          url,
          devicePort: options.devicePort,
          planId,
          lanes: `${url}/plans/${planId}/lanes`,
          gear: `${url}/plans/${planId}/gear`,
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
        // Whatever the stories did: nobody asked or answered anything that the standards do not allow.
        const violations = await fetch(`http://127.0.0.1:${options.panelPort}/violations`);
        expect(await violations.json()).toEqual([]);
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

/**
 * Shows another address as a link of the application does: the page stays, with the plan and the worker that it has. A page that shows nothing yet is
 * loaded.
 */
export async function show(page: Page, address: string): Promise<void> {
  const before = page.url();
  if (before === address) return;
  if (before === 'about:blank') {
    await page.goto(address);
    return;
  }
  await page.evaluate((to) => (globalThis as unknown as Routed).next.router.push(to), address);
  await page.waitForURL((url) => url.href !== before);
}

/** Pages of Next.js name their router for those who look into them. */
interface Routed {
  readonly next: { readonly router: { push(address: string): void } };
}

/**
 * Until nothing moves any more and all letters are there: what is half faded in has no contrast of its own. A page that was come to by a link gets its
 * title after it.
 */
async function atRest(page: Page): Promise<void> {
  await expect(page).toHaveTitle(/./);
  await page.evaluate(async () => {
    await document.fonts.ready;
    // One that follows what is scrolled never ends.
    const ending = document.getAnimations().filter((a) => a.timeline instanceof DocumentTimeline);
    await Promise.all(ending.map((a) => a.finished.catch(() => undefined)));
  });
}

/** All that can differ from theme to theme. The rest is looked at in the light one. */
const RULES_OF_THEMES = ['color-contrast', 'link-in-text-block'];

/** For pages that are looked at elsewhere in the same colours: these rules take most of the time. */
const WITHOUT_COLOURS = Object.fromEntries(RULES_OF_THEMES.map((rule) => [rule, { enabled: false }]));

/** By what a page may prefer: the theme that it then has. */
const THEMES = { light: 'chalk', dark: 'tide' } as const;
type Theme = keyof typeof THEMES;

async function changeTheme(page: Page, theme: Theme): Promise<void> {
  await page.emulateMedia({ colorScheme: theme });
  await expect(page.locator('html')).toHaveAttribute('data-theme', THEMES[theme]);
}

/** Part of a page, by selectors. */
type Extent = { include: string[] } | { exclude: string[] };

/** Faults, each with its rule and where it is. Our pages have no frames: what finds them is brought in once, and stays as long as the page. */
async function faultsOf(page: Page, extent: Extent, options: RunOptions): Promise<string[]> {
  if (!(await page.evaluate(() => 'axe' in globalThis))) await page.evaluate(axe.source);
  const asked: [Extent, RunOptions] = [extent, { ...options, resultTypes: ['violations'] }];
  return page.evaluate(async ([within, how]) => {
    const { violations } = await (globalThis as unknown as { axe: typeof axe }).axe.run(within, how);
    return violations.map((v) => `${v.id}: ${v.nodes[0]?.html ?? ''}`);
  }, asked);
}

/**
 * Accessibility faults of what the page shows, in both themes unless only one is asked for, each with its rule and where it is. The woven
 * ribbons are looked at by themselves: among everything else their many shapes make the analysis ten times as long.
 */
export async function faults(
  page: Page,
  {
    within = null,
    themes = ['light', 'dark'],
    areColoursKnown = false,
  }: { within?: string | null; themes?: readonly Theme[]; areColoursKnown?: boolean } = {},
): Promise<string[]> {
  // What comes up or goes meanwhile does so at once.
  await page.emulateMedia({ reducedMotion: 'reduce' });
  const isWoven = within === null && (await page.locator('[data-woven]').count()) > 0;
  const found: string[] = [];
  for (const theme of themes) {
    await changeTheme(page, theme);
    await atRest(page);
    const options: RunOptions =
      theme === 'dark' ? { runOnly: RULES_OF_THEMES } : areColoursKnown ? { rules: WITHOUT_COLOURS } : {};
    const extents: Extent[] = [within === null ? { exclude: ['[data-woven]'] } : { include: [within] }];
    if (isWoven) extents.push({ include: ['[data-woven]'] });
    for (const extent of extents)
      found.push(...(await faultsOf(page, extent, options)).map((fault) => `${theme}: ${fault}`));
  }
  await changeTheme(page, 'light');
  await page.emulateMedia({ reducedMotion: null });
  return found;
}

/** Chooses from a searchable list by what one would type. */
export async function pick(scope: Locator, label: string | RegExp, words: string): Promise<void> {
  const field = scope.getByRole('combobox', { name: label });
  // What stands there already would not count as typed.
  await field.fill('');
  await field.fill(words);
  await scope.page().getByRole('option', { name: words }).first().click();
  await expect(scope.page().getByRole('listbox')).toHaveCount(0);
}

/** One lane of the sheet. */
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
): Promise<void> {
  for (const channel of channels) {
    await expect(lane(page, deviceId, channel).locator('[data-state]')).toHaveAttribute('data-state', state);
  }
}
