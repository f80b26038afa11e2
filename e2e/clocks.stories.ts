import type { Page } from '@playwright/test';
import { expect, faults, show, test } from './stack';

const panel = (page: Page) => page.getByRole('complementary', { name: 'Reckoning' });
const tree = (page: Page) => page.getByRole('region', { name: 'Clock tree' });
const row = (page: Page, id: string) => page.locator(`[data-row="${id}"]`);
const clocks = (stack: { gear: string }) => stack.gear.replace(/gear$/, 'clocks');
const apply = async (page: Page) => {
  await page.getByRole('region', { name: 'Preview' }).getByRole('button', { name: 'Apply' }).click();
  await expect(page.getByRole('region', { name: 'Preview' })).toHaveCount(0);
};

test('the tree shows who keeps time, and why this one and not the next', async ({ page, stack }) => {
  await page.goto(clocks(stack));
  await expect(panel(page)).toContainText('North master is grandmaster for 48 devices');
  await tree(page)
    .getByRole('button', { name: /^North master/ })
    .click();
  await expect(panel(page)).toContainText('Why this one?');
  // Both have one priority 1, so that the class decides when an antenna is lost.
  const decides = panel(page).getByRole('row', { name: /Class, decides/i });
  await expect(decides).toContainText('6');
  await expect(decides).toContainText('187');
  await tree(page).getByRole('button', { name: 'Yard converter' }).click();
  await expect(panel(page)).toContainText('Follows North core A; grandmaster is North master, 2 steps away');
  await expect(panel(page)).toContainText('Yard converter follows only');
});

test('a drill shows the new tree, the times of take-over and the lanes that are disturbed, and ends without a trace', async ({
  page,
  stack,
}) => {
  await page.goto(`${clocks(stack)}?sel=device:north-master`);
  await panel(page).getByRole('button', { name: 'What if this fails?' }).click();
  const drill = panel(page).getByRole('region', { name: 'What if' });
  // The common subset: the relay before it waits three announce intervals of one second from the last announce, which came up to one before the loss,
  // and up to one more; the spare learns of it with the relay's next announce.
  await expect(drill).toContainText('2–5');
  await expect(drill).toContainText('South master becomes grandmaster');
  await expect(drill).toContainText(/lanes? disturbed/);
  await expect(tree(page).getByRole('button', { name: /^South master grandmaster/ })).toBeVisible();
  // With the core goes every cable in it: what has no second leg has nobody.
  await show(page, `${clocks(stack)}?sel=device:core-a&lost=device:core-a`);
  await expect(page.getByRole('region', { name: 'Unsynchronised' })).toContainText('27 devices unsynchronised');
  await drill.getByRole('button', { name: 'End the drill' }).click();
  await expect(tree(page).getByRole('button', { name: /^North master grandmaster/ })).toBeVisible();
  await expect(page.getByRole('region', { name: 'Unsynchronised' })).toHaveCount(0);
  // The same is asked of a cable where it is drawn.
  await show(page, stack.gear.replace(/gear$/, 'network?view=cables&sel=link:drop-lab-recorder-a'));
  await page.getByRole('link', { name: 'Failure drill: what if it is cut?', exact: true }).click();
  await expect(drill).toContainText('Lab recorder is unsynchronised');
  await expect(page.getByRole('region', { name: 'Unsynchronised' })).toContainText('Lab recorder');
});

test('the subnet without a spare relay is found, and the proposed clock plan mends it in one step that can be undone', async ({
  page,
  stack,
}) => {
  await page.goto(clocks(stack));
  const finding = panel(page).getByText('Leg A pier: North core A is the only boundary clock into it');
  await expect(finding).toBeVisible();
  await page.getByRole('button', { name: 'Propose a clock plan …' }).click();
  const dialog = page.getByRole('dialog', { name: 'Propose a clock plan' });
  await expect(dialog).toContainText('North master is grandmaster: it is locked to GNSS');
  await expect(dialog).toContainText('Yard converter is the spare relay');
  await dialog.getByRole('button', { name: 'Preview' }).click();
  await expect(finding).toHaveCount(0);
  await apply(page);
  await expect(panel(page)).toContainText('No findings.');
  await page.keyboard.press('Control+z');
  await expect(finding).toBeVisible();
});

test('another rate for a clock group shows what follows before it is applied', async ({ page, stack }) => {
  await page.goto(`${clocks(stack)}?view=rates&sel=group:house`);
  await page.getByLabel('Rate, kHz').selectOption('96000');
  await expect(panel(page)).toContainText('Do not support 96 kHz and keep their rate');
  await panel(page).getByRole('button', { name: 'Preview the change …' }).click();
  const follows = panel(page).getByRole('region', { name: 'Affected' });
  await expect(follows).toContainText(/\d+ lanes break/);
  await expect(follows).toContainText('48 → 96 kHz');
  await page
    .getByRole('region', { name: 'Preview' })
    .getByRole('button', { name: /Discard/ })
    .click();
  await expect(row(page, 'house')).toContainText('48');
});

test('a device put on its own oscillator slips against the rest: found with its interval, and mended', async ({
  page,
  stack,
}) => {
  await page.goto(`${clocks(stack)}?sel=device:show-player`);
  await panel(page).getByLabel('Follows').selectOption('own');
  // 10 ppm against GNSS at 48 kHz: one sample in 2.083 s.
  await expect(panel(page)).toContainText('a sample slips every 2.08 s at 10 ppm');
  await panel(page)
    .getByRole('button', { name: /Let Show player follow the network’s time/ })
    .click();
  await apply(page);
  await expect(panel(page)).not.toContainText('a sample slips');
});

test('a reference is added, listened to and lost: the master clock is in holdover', async ({ page, stack }) => {
  await page.goto(`${clocks(stack)}?sel=device:north-master`);
  await panel(page).getByRole('button', { name: 'What if it loses its reference?' }).click();
  await expect(panel(page).getByRole('region', { name: 'What if' })).toContainText('GNSS on the north roof');
  await show(page, `${clocks(stack)}?view=references&sel=reference:gnss-north`);
  await expect(panel(page)).toContainText('North master: GNSS on the north roof');
  await panel(page).getByRole('button', { name: 'What if it is lost?' }).click();
  const drill = panel(page).getByRole('region', { name: 'What if' });
  await expect(drill).toContainText('North master: in holdover');
  await expect(drill).toContainText('Hold-over of North master ends after 24 h');
  await drill.getByRole('button', { name: 'End the drill' }).click();
  await page.getByRole('button', { name: 'Add a reference' }).click();
  await expect(panel(page).getByRole('heading', { name: /Word clock/ })).toBeVisible();
  await expect(panel(page)).toContainText('No device yet');
});

test('the field tells who keeps time: a take-over is an event with its time and differs from the plan until it is over', async ({
  page,
  stack,
}) => {
  await page.goto(clocks(stack));
  await expect(panel(page)).toContainText(/North master: \d+ devices/);
  await stack.panel('north-master', 'unplug');
  const events = page.getByRole('list', { name: 'Clock events' });
  // Relays lead for a moment until they have heard the spare twice: where the rest came from may be one of them.
  await expect(events).toContainText(/\d+ more now follow South master/);
  await expect(panel(page)).toContainText(/follow South master; the plan has North master/);
  await show(page, `${clocks(stack)}?sel=device:dome-renderer`);
  await expect(panel(page)).toContainText('It follows South master');
  await stack.panel('north-master', 'plug');
  await expect(panel(page)).toContainText('It follows North master');
  await show(page, clocks(stack));
  await expect(panel(page)).not.toContainText('the plan has North master');
  await expect(events).toContainText(/\d+ more now follow North master/);
});

test('every view of the clocks is free of accessibility faults', async ({ page, stack }) => {
  for (const address of [
    '',
    '?sel=device:south-processor',
    '?lost=device:core-a&sel=device:core-a',
    '?view=rates&sel=group:house',
    '?view=references&sel=reference:gnss-north',
  ]) {
    await show(page, `${clocks(stack)}${address}`);
    await expect(panel(page)).not.toBeEmpty();
    expect(await faults(page), address).toEqual([]);
  }
});
