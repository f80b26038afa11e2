// `npm run screenshots`: the pictures in docs/screenshots, taken from a fresh demo with Debian's Chromium.
import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { chromium } from '@playwright/test';
import { build } from './build.mjs';
import { CHROMIUM } from './chromium.mjs';
import { fillDemo, startApp, startStandins } from './stack.mjs';

const folder = join(import.meta.dirname, '../docs/screenshots');
await build();
const dataFolder = mkdtempSync(join(tmpdir(), 'jade-lane-shots-'));
const options = {
  dataFolder,
  port: 3393,
  registryPort: 18_980,
  panelPort: 18_981,
  devicePort: 18_982,
  sapPort: 18_985,
  expiryMs: 3000,
  heartbeatMs: 1000,
  isQuiet: true,
};
const standins = await startStandins(options);
const app = await startApp(options);
const plan = await fillDemo(options);
const url = `http://127.0.0.1:${options.port}`;
const at = (path) => `${url}/plans/${plan.id}/${path}`;
const browser = await chromium.launch(CHROMIUM);

async function shot(name, theme, address, act = async () => {}) {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, colorScheme: theme });
  const page = await context.newPage();
  page.setDefaultTimeout(8000);
  await page.goto(address);
  await page.waitForTimeout(2500);
  await act(page);
  await page.waitForTimeout(700);
  await page.screenshot({ path: join(folder, `${name}.png`) });
  await context.close();
}

/** The link has selected the eight channels already. */
const feedDomeAmp = async (page) => {
  await page.getByRole('grid', { name: 'Lanes' }).focus();
  await page.keyboard.press('Enter');
  await page.keyboard.type('tank mic');
  await page.waitForTimeout(700);
};
try {
  await new Promise((resolve) => setTimeout(resolve, 4000)); // until the unplugged stand-in is missed
  await shot('lanes-tide', 'dark', at('lanes?sel=dome-amp-4:6-8'));
  await shot('lanes-chalk', 'light', at('lanes?sel=exhibit-14:1-2'));
  // A pack runs low, and a strip is patched otherwise in the field.
  await shot('patch', 'dark', at('patch?device=loft-console&sel=strips:31'), async (page) => {
    await page.getByText('14 %').first().waitFor();
  });
  await shot('feed', 'dark', at('lanes?sel=dome-amp-6:1-8'), feedDomeAmp);
  await shot('refusal', 'light', at('lanes?sel=lab-recorder:13-14'));
  await shot('repack', 'light', at('lanes?from=control-loft'), async (page) => {
    await page.getByRole('button', { name: 'More …' }).click();
    await page.getByRole('menuitem', { name: /Repack/ }).click();
    await page.getByLabel(/may be interrupted/).check();
    await page.waitForTimeout(1500);
  });
  await shot('gear', 'dark', at('gear?sel=exhibit-12'));
  await shot('slots', 'light', at('slots?sel=gallery-loop-unit'));
  await shot('network', 'dark', at('network'), (page) => page.locator('[data-drawing=arranged]').waitFor());
  await shot('cables', 'light', at('network?view=cables&sel=link:up-wave-edge-a'));
  // The library has another version than the plan's copy, and a figure is being changed.
  await shot('models', 'light', at('gear?models=1&model=stage-box-24&edit=1'), async (page) => {
    const field = (name) => page.getByRole('textbox', { name, exact: true });
    await page.getByRole('button', { name: 'Save to library …' }).click();
    await page.getByLabel(/^Note/).fill('from the data sheet');
    await page.getByRole('button', { name: 'Save version 1' }).click();
    await page.getByText('from the data sheet').waitFor();
    await field('Streams received').fill('6');
    await page.getByRole('button', { name: 'Smallest link offset: not known' }).click();
    await page.getByRole('button', { name: 'Save to library …' }).click();
    await page.getByLabel(/^Note/).fill('measured in the hall');
    await page.getByRole('button', { name: 'Save version 2' }).click();
    await page.getByText('measured in the hall').first().waitFor();
    await page.getByRole('button', { name: 'Discard changes' }).click();
    await field('Channels per stream').fill('6');
    await page.keyboard.press('Tab');
  });
  await shot('switches', 'light', at('network?view=switches&sel=device:gallery-edge-a'));
  await shot('import', 'dark', at('network'), async (page) => {
    await page.getByRole('button', { name: 'Import …' }).click();
    await page.getByLabel(/in the field report/).check();
  });
  await shot('clocks', 'dark', at('clocks?sel=device:north-master'));
  await shot('clock-drill', 'light', at('clocks?lost=device:north-master'));
  await shot('clock-rates', 'dark', at('clocks?view=rates&sel=group:house'), async (page) => {
    await page.getByLabel('Rate, kHz').selectOption('96000');
    await page.getByRole('button', { name: 'Preview the change …' }).click();
  });
  await shot('plans', 'light', url);
  await shot('send', 'dark', at('lanes?sel=dome-amp-5:1-8'), async (page) => {
    await feedDomeAmp(page);
    await page.keyboard.press('Enter');
    await page.waitForTimeout(700);
    await page.keyboard.press('Control+Enter');
    await page.waitForTimeout(1200);
  });
  // A sender is pulled out while one looks: what is lost, at every place where it is seen.
  await shot('losses', 'dark', at('lanes?sel=dome-amp-4:1-1'), async (page) => {
    await fetch(`http://127.0.0.1:${options.panelPort}/standins/dome-renderer/unplug`, { method: 'POST' });
    await page.getByText('Dome renderer went offline').waitFor();
    await page.waitForTimeout(600);
  });
} finally {
  await browser.close();
  await app.stop();
  await standins.stop();
  rmSync(dataFolder, { recursive: true, force: true });
}
