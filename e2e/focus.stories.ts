import type { Locator, Page } from '@playwright/test';
import { expect, faults, show, test, type Stack } from './stack';

/** Dialogs, each opened as one would from the sheet or its button. */
const DIALOGS: readonly {
  readonly what: string;
  readonly at: string;
  readonly open: (page: Page) => Promise<Locator>;
}[] = [
  { what: 'add devices', at: 'gear', open: (page) => fromSheet(page, 'n') },
  { what: 'import devices', at: 'gear', open: (page) => byMenu(page, /^Import from NMOS/) },
  { what: 'the history', at: 'gear', open: (page) => byButton(page, 'History') },
  { what: 'cable devices', at: 'gear?sel=dome-amp-1', open: (page) => fromSheet(page, 'c') },
  { what: 'copy a device', at: 'gear?sel=dome-amp-1', open: (page) => byMenu(page, /^Copy/) },
  { what: 'a new model', at: 'gear?models=1', open: (page) => byButton(page, 'New model …') },
  { what: 'import models', at: 'gear?models=1', open: (page) => byButton(page, 'Import …') },
  {
    what: 'save a model',
    at: 'gear?models=1&model=amp-8&edit=1',
    open: (page) => byButton(page, 'Save to library …'),
  },
  { what: 'label many', at: 'gear?device=dome-amp-6', open: (page) => byButton(page, 'Label many …') },
  { what: 'send lanes', at: 'lanes?sel=dome-amp-4:1-2', open: (page) => fromSheet(page, 'Control+Enter') },
  { what: 'swap senders', at: 'lanes?sel=dome-amp-4:1-2', open: (page) => byMenu(page, /^Swap/) },
  { what: 'move lanes', at: 'lanes?sel=dome-amp-4:1-2', open: (page) => byMenu(page, /^Move lanes/) },
  { what: 'repack', at: 'lanes', open: (page) => byMenu(page, /^Repack/) },
  { what: 'find or do', at: 'lanes', open: (page) => fromSheet(page, 'Control+k') },
  { what: 'a new cable', at: 'network?view=cables', open: (page) => fromSheet(page, 'n') },
  { what: 'a new subnet', at: 'network?view=subnets', open: (page) => fromSheet(page, 'n') },
  { what: 'a switch', at: 'network?view=switches', open: (page) => byButton(page, 'Switch …') },
  { what: 'addresses', at: 'network', open: (page) => byButton(page, 'Addresses …') },
  { what: 'import the network', at: 'network', open: (page) => byButton(page, 'Import …') },
  { what: 'a clock plan', at: 'clocks', open: (page) => byButton(page, 'Propose a clock plan …') },
];

/** Each returns where one was. */
async function fromSheet(page: Page, key: string): Promise<Locator> {
  const from = page.getByRole('grid').first();
  await from.focus();
  await page.keyboard.press(key);
  return from;
}
async function byButton(page: Page, name: string): Promise<Locator> {
  const from = page.getByRole('button', { name, exact: true });
  await from.focus();
  await page.keyboard.press('Enter');
  return from;
}
async function byMenu(page: Page, item: RegExp): Promise<Locator> {
  const from = page.getByRole('button', { name: 'More …' });
  await from.focus();
  await page.keyboard.press('Enter');
  await page.getByRole('menuitem', { name: item }).press('Enter');
  return from;
}

const stage = (stack: Stack, at: string) => `${stack.url}/plans/${stack.planId}/${at}`;
test('after every dialog the focus is where one was', async ({ page, stack }) => {
  let shown = '';
  for (const { what, at, open } of DIALOGS) {
    if (at !== shown) await show(page, stage(stack, at));
    shown = at;
    await expect(page.getByRole('contentinfo', { name: 'Totals' })).toContainText('Streams');
    const from = await open(page);
    const dialog = page.getByRole('dialog');
    await expect(dialog, what).toHaveCount(1);
    const isWithin = () => dialog.evaluate((d) => d.contains(document.activeElement));
    await expect.poll(isWithin, { message: `${what}: the focus goes into it` }).toBe(true);
    await page.keyboard.press('Escape');
    await expect(dialog, what).toHaveCount(0);
    await expect(from, what).toBeFocused();
  }
});

test('at 200 % zoom every stage is read and worked without the page running over, and is free of accessibility faults', async ({
  browser,
  stack,
}) => {
  // What 1280 x 800 has room for at 200 %.
  const context = await browser.newContext({ viewport: { width: 640, height: 400 }, deviceScaleFactor: 2 });
  const page = await context.newPage();
  for (const at of ['gear', 'gear?models=1', 'network', 'network?view=cables', 'clocks', 'lanes', 'slots']) {
    await show(page, stage(stack, at));
    await expect(page.getByRole('contentinfo', { name: 'Totals' })).toContainText('Streams');
    const over = await page.evaluate(() => document.documentElement.scrollWidth - window.innerWidth);
    expect(over, at).toBeLessThanOrEqual(0);
    expect(await faults(page, { themes: ['light'], areColoursKnown: true }), at).toEqual([]);
  }
  await context.close();
});

test('with forced colours and reduced motion every stage is there, and nothing moves by itself', async ({
  browser,
  stack,
}) => {
  const context = await browser.newContext({ forcedColors: 'active', reducedMotion: 'reduce' });
  const page = await context.newPage();
  for (const at of ['lanes', 'network', 'gear', 'clocks']) {
    await show(page, stage(stack, at));
    await expect(page.getByRole('contentinfo', { name: 'Totals' })).toContainText('Streams');
    const moving = await page.evaluate(() => document.getAnimations().filter((a) => a.playState === 'running').length);
    expect(moving, at).toBe(0);
  }
  // A selected row is told apart without the colours of the theme.
  await show(page, stage(stack, 'gear?sel=dome-amp-1'));
  const row = page.locator('[data-row="dome-amp-1"]');
  await expect(row).toHaveAttribute('aria-selected', 'true');
  const colours = (of: string) => row.evaluate((r, name) => getComputedStyle(r).getPropertyValue(name), of);
  const other = page.locator('[data-row="dome-amp-2"]');
  expect(await colours('background-color')).not.toBe(
    await other.evaluate((r) => getComputedStyle(r).getPropertyValue('background-color')),
  );
  await context.close();
});
