import type { Page } from '@playwright/test';
import { expect, faults, lane, pick, show, test } from './stack';

const panel = (page: Page) => page.getByRole('complementary', { name: 'Reckoning' });
const preview = (page: Page) => page.getByRole('region', { name: 'Preview' });
const row = (page: Page, key: string) => page.locator(`[data-row="${key}"]`);
const network = (stack: { url: string; planId: string }, query = '') =>
  `${stack.url}/plans/${stack.planId}/network${query}`;
/** Yes to the preview, once it is there: Enter goes to its button. */
async function apply(page: Page): Promise<void> {
  await expect(preview(page).getByRole('button', { name: 'Apply' })).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(preview(page)).toHaveCount(0);
}
const arranged = (page: Page) => expect(page.locator('[data-drawing=arranged]')).toBeVisible();

test('the busiest cable stands first, opens to its streams and its sum, and a fix takes the overload away', async ({
  page,
  stack,
}) => {
  await page.goto(network(stack));
  await arranged(page);
  await expect(page.getByRole('contentinfo', { name: 'Totals' })).toContainText('Busiest link 92.7 %');
  await page.getByRole('tab', { name: 'Cables' }).click();
  const grid = page.getByRole('grid', { name: 'Cables' });
  await expect(grid.getByRole('row').nth(1)).toContainText('Wave edge A Uplink 1');
  await grid.focus();
  await page.keyboard.press('ArrowDown');
  await expect(panel(page)).toContainText('Wave edge A → North core A');
  await expect(panel(page)).toContainText('Wave stage box S1 leg A');
  await expect(panel(page)).toContainText('to Archive recorder, Loft console; VLAN 131, by its tree from North core A');
  await panel(page).getByText('46.351 Mb/s of 50 Mb/s free (1 Gb/s, 95 % reserved): calculation').click();
  await expect(panel(page)).toContainText('clock messages (PTP)');
  await panel(page)
    .getByRole('button', { name: /^Plan Wave edge A to North core A at 10 Gb\/s/ })
    .click();
  await expect(preview(page)).toContainText('Mends 1 finding.');
  await apply(page);
  await expect(row(page, 'up-wave-edge-a')).toContainText('10 Gb/s');
  await expect(page.getByTestId('refusals')).toContainText('6 refusals');
  await page.keyboard.press('Control+z');
  await expect(page.getByTestId('refusals')).toContainText('7 refusals');
});

test('a switch is set up in a new place and cabled, by dialog and by hand in the drawing; sheet and drawing agree', async ({
  page,
  stack,
}) => {
  await page.goto(network(stack));
  await arranged(page);
  await page.getByRole('button', { name: 'Switch …' }).click();
  const dialog = page.getByRole('dialog');
  await pick(dialog, 'Model', 'Edge switch 24');
  await dialog.getByLabel(/^Name;/).fill('Quay edge A');
  await pick(dialog, /^Place/, 'Quay');
  await dialog.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(page.getByRole('heading', { name: 'Quay edge A', exact: true })).toBeVisible();

  await page.keyboard.press('n');
  await expect(dialog.getByLabel('From')).toHaveValue('quay-edge-a');
  await dialog.getByLabel('Into').selectOption({ label: 'North core A' });
  await dialog.getByLabel('Metres').fill('240');
  await expect(dialog.getByLabel('Cable')).toHaveValue('om3');
  await dialog.getByRole('button', { name: 'Plug in' }).click();
  await expect(page.getByRole('heading', { name: 'Quay edge A to North core A', exact: true })).toBeVisible();
  await arranged(page);
  await expect(page.getByRole('button', { name: 'Quay', exact: true })).toBeVisible();

  // By hand: from a line of one card to a line of another.
  const from = page.locator('[data-handleid="device:quay-edge-a out"]');
  const to = page.locator('[data-handleid="device:pier-edge-a in"]');
  const where = async () => [await from.boundingBox(), await to.boundingBox()] as const;
  // The view moves to show the whole; a drag that it moved under lays no cable, and is made again.
  await expect(async () => {
    // Two frames in which nothing moves.
    const frame = () =>
      page.evaluate(
        () => new Promise<void>((done) => requestAnimationFrame(() => requestAnimationFrame(() => done()))),
      );
    await frame();
    const [start, end] = await where();
    await frame();
    expect(await where()).toEqual([start, end]);
    await page.mouse.move(start!.x + start!.width / 2, start!.y + start!.height / 2);
    await page.mouse.down();
    await page.mouse.move(end!.x - 20, end!.y + end!.height / 2, { steps: 8 });
    await page.mouse.move(end!.x + end!.width / 2, end!.y + end!.height / 2, { steps: 4 });
    await page.mouse.up();
    await expect(dialog.getByLabel('Into')).toBeVisible({ timeout: 5000 });
  }).toPass({ timeout: 120_000 });
  await expect(dialog.getByLabel('Into')).toHaveValue('pier-edge-a');
  await dialog.getByRole('button', { name: 'Plug in' }).click();
  await expect(page.getByRole('heading', { name: 'Quay edge A to Pier edge A', exact: true })).toBeVisible();
  // Three switches in a ring: the spanning tree keeps one cable out.
  await arranged(page);
  await expect(page.locator('.react-flow__edgelabel-renderer')).toContainText('idle');

  await page.getByRole('tab', { name: 'Cables' }).click();
  await page.getByRole('searchbox', { name: 'Filter rows' }).fill('quay');
  const grid = page.getByRole('grid', { name: 'Cables' });
  await expect(grid.getByRole('row')).toHaveCount(3);
  await row(page, 'quay-edge-a-pier-edge-a').click();
  await page.keyboard.press('Delete');
  await expect(grid.getByRole('row')).toHaveCount(2);
  // What is told meanwhile may stand before the note with its own Undo.
  await page.keyboard.press('Control+z');
  await expect(grid.getByRole('row')).toHaveCount(3);
});

test('the drawing is one stop of Tab: arrows go from thing to thing, Enter opens, cables are told with both ends', async ({
  page,
  stack,
}) => {
  await page.goto(network(stack));
  await arranged(page);
  const tabs = page.getByRole('tablist', { name: 'Views of the network' });
  await tabs.getByRole('tab', { name: 'Drawing' }).focus();
  await page.keyboard.press('ArrowRight');
  await expect(tabs.getByRole('tab', { name: 'Cables' })).toBeFocused();
  await page.keyboard.press('ArrowLeft');
  await arranged(page);
  const drawing = page.getByRole('group', { name: /^Drawing of the network/ });
  await drawing.focus();
  const focused = () => page.evaluate(() => document.activeElement?.textContent ?? '');
  const seen = new Set<string>();
  for (const key of ['ArrowDown', 'ArrowDown', 'ArrowRight', 'ArrowDown', 'ArrowRight']) {
    await page.keyboard.press(key);
    seen.add(await focused());
    expect(await drawing.evaluate((d) => d.contains(document.activeElement))).toBe(true);
  }
  expect(seen.size).toBeGreaterThan(2);
  const edge = drawing.locator('.react-flow__edge').first();
  await expect(edge).toHaveAttribute('aria-label', /^(Cable|\d+ cables) .+ to .+, (busiest )?([\d.]+ %|idle)$/);
  await edge.focus();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('complementary', { name: 'Reckoning' })).toContainText('Failure drill');
});

test('a place is given addresses in one go, a device is moved with its card, a subnet is split, each after a look', async ({
  page,
  stack,
}) => {
  await page.goto(network(stack, '?sel=place:tide-gallery'));
  await arranged(page);
  await page.getByRole('button', { name: 'Addresses …' }).first().click();
  const dialog = page.getByRole('dialog');
  // Of two exhibits with one address the first keeps it, as the fix of the finding has it too.
  await expect(dialog.getByRole('row')).toHaveCount(2);
  await expect(dialog).toContainText('Exhibit 12');
  await dialog.getByRole('button', { name: 'Preview 1 address …' }).click();
  await expect(preview(page)).toContainText('Mends 1 finding.');
  await page.keyboard.press('Escape');
  await expect(page.getByTestId('refusals')).toContainText('7 refusals');

  await show(page, network(stack, '?sel=device:wave-stage-box'));
  await expect(page.getByRole('heading', { name: 'Wave stage box', exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Addresses …' }).first().click();
  await dialog.getByLabel('Leg A into').selectOption({ label: 'Leg A south 10.71.52.0/24' });
  await dialog.getByLabel('Leg B into').selectOption({ label: 'Leg B south 10.72.52.0/24' });
  await expect(dialog.getByRole('row').nth(1)).toContainText('10.71.36.45');
  await expect(dialog.getByRole('row').nth(1)).toContainText('10.71.52.45');
  await expect(dialog.getByRole('row').nth(2)).toContainText('10.72.52.45');
  await dialog.getByRole('button', { name: 'Preview 2 addresses …' }).click();
  await apply(page);
  await expect(panel(page)).toContainText('10.71.52.45');
  await page.keyboard.press('Control+z');
  await expect(panel(page)).toContainText('10.71.36.45');

  await show(page, network(stack, '?view=subnets&sel=subnet:a-north'));
  await page.getByRole('button', { name: 'Resize or split …' }).click();
  await dialog.getByRole('textbox', { name: 'Block' }).fill('10.71.36.0/33');
  await expect(dialog.getByRole('alert')).toContainText('An IPv4 block');
  await dialog.getByRole('textbox', { name: 'Block' }).fill('10.71.36.0/26');
  await expect(dialog).toContainText('14 addresses would be outside');
  await dialog.getByLabel('two halves').check();
  await expect(dialog).toContainText('Leg A north 10.71.36.0/25, VLAN 131; Leg A north 2 10.71.36.128/25, VLAN 132');
  await dialog.getByRole('button', { name: 'Preview …' }).click();
  await expect(row(page, 'leg-a-north-2')).toBeVisible();
  await page.keyboard.press('Escape');
  await expect(row(page, 'leg-a-north-2')).toHaveCount(0);
});

test('a table is taken in line by line: bad lines are named, good ones offered, nothing is applied before yes', async ({
  page,
  stack,
}) => {
  await page.goto(network(stack, '?view=cables'));
  await page.getByRole('button', { name: 'Import …' }).click();
  const dialog = page.getByRole('dialog');
  const give = (name: string, text: string | Buffer) =>
    dialog.getByLabel('Table of the network').setInputFiles({
      name,
      mimeType: 'text/csv',
      buffer: typeof text === 'string' ? Buffer.from(text) : text,
    });
  await give('wrong.csv', 'thing,colour\nbox,red\n');
  await expect(dialog.getByRole('alert')).toContainText('the column “device” is missing');
  await give('cut.csv', Buffer.from([0xff, 0xfe, 0x64, 0x00]));
  await expect(dialog.getByRole('alert')).toContainText('not text in UTF-8');
  await give(
    'quay.csv',
    [
      'device,model,place,port,address,switch,socket,cable,metres',
      'Quay speaker 1,Sound endpoint 2,Lantern Yard,Media,10.71.68.70,Pier edge A,Port 20,cat6,30',
      'Quay speaker 1,Sound endpoint 2,Lantern Yard,Media,10.71.68.71,Pier edge A,Port 21,cat6,30',
      'Loft console,,,A,10.71.36.300,,,,',
      'Show player,,,A,10.71.36.12,,,,',
      'Dome amp 2,,,A,10.71.52.99,,,,',
    ].join('\n'),
  );
  await expect(dialog).toContainText('1 new, 1 differ, 1 left alone, 2 refused.');
  await expect(dialog).toContainText('Quay speaker 1, Media is listed twice, first in line 2');
  await expect(dialog).toContainText('“10.71.36.300” is not an IPv4 address');
  await dialog.getByRole('button', { name: 'Preview 2 changes …' }).click();
  await expect(preview(page)).toContainText('import 2 interfaces from quay.csv');
  await page.getByRole('tab', { name: 'Cables' }).click();
  await page.getByRole('searchbox', { name: 'Filter rows' }).fill('quay speaker');
  await expect(page.getByRole('grid', { name: 'Cables' }).getByRole('row')).toHaveCount(2);
  await preview(page).getByRole('button', { name: 'Discard' }).click();
  await expect(page.getByText('No cable passes this filter.')).toBeVisible();
});

test('what devices and switches in the field report is held against the plan', async ({ page, stack }) => {
  await page.goto(network(stack));
  await expect(panel(page)).toContainText('Dome amp 1 to South edge A came up at 100 Mb/s; planned: 1 Gb/s');
  await panel(page)
    .getByRole('button', { name: /^Plan Dome amp 1 to South edge A at 100 Mb\/s/ })
    .click();
  await expect(preview(page)).toContainText('Mends 1 finding.');
  await page.keyboard.press('Escape');

  // A second cable comes up in half duplex while we look.
  await stack.comeUp('south-edge-a', { port: 'Port 5', bitsPerSecond: 1e9, duplex: 'half' });
  await expect(panel(page)).toContainText('Dome amp 2 to South edge A came up in half duplex');
  await stack.comeUp('south-edge-a', { port: 'Port 5' });
  await expect(panel(page)).not.toContainText('half duplex');

  await page.getByRole('button', { name: 'Import …' }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel(/in the field report/).check();
  await expect(dialog.getByRole('row').nth(1)).toContainText('Dome amp 3');
  await expect(dialog).toContainText('plugged into: South edge B Port 6 → South edge B Port 20');
});

test('switch settings are checked, mended and written out; without multicast routing lanes say why and how', async ({
  page,
  stack,
}) => {
  await page.goto(network(stack, '?view=switches&sel=device:core-a'));
  await expect(panel(page)).toContainText('The model is fit for media');
  await panel(page).getByLabel('energy saving').click();
  await expect(panel(page)).toContainText('North core A saves energy on idle links');
  await panel(page)
    .getByRole('button', { name: /^Turn energy saving off on North core A/ })
    .click();
  await apply(page);
  await expect(panel(page)).not.toContainText('saves energy');
  await panel(page).getByRole('button', { name: 'Settings sheet …' }).click();
  await expect(page.getByRole('dialog')).toContainText('DSCP 46');
  await page.getByRole('dialog').getByRole('button', { name: 'Close' }).click();

  await panel(page).getByLabel('multicast routing').click();
  await expect(page.getByTestId('refusals')).not.toHaveText('7 refusals');
  await show(page, `${stack.lanes}?sel=dome-renderer:1-1`);
  await expect(panel(page)).toContainText('Leg A has no path, so the lane has no second one.');
  await show(page, `${stack.lanes}?sel=yard-converter:1-1`);
  await expect(panel(page)).toContainText('are routed, but no router passes multicast between them');
  await panel(page)
    .getByRole('button', { name: /^Turn multicast routing on in North core A/ })
    .click();
  await apply(page);
  await expect(lane(page, 'yard-converter', 1)).not.toContainText('no multicast routing');
  await show(page, `${stack.lanes}?sel=dome-renderer:1-1`);
  await expect(panel(page)).toContainText('North core A · router');
  await expect(panel(page)).toContainText('The two legs share no switch and no cable.');
});

test('PoE is counted socket by socket, and a group chosen by hand that collides is let go', async ({ page, stack }) => {
  await page.goto(network(stack, '?view=switches&sel=device:gallery-edge-a'));
  await expect(panel(page)).toContainText('98 of 90 W, 8 over');
  await panel(page).getByText('Port by port').click();
  await expect(panel(page)).toContainText('class 2, 7 W');
  await show(page, network(stack, '?view=streams&sel=stream:dome-renderer%2F1'));
  await expect(panel(page)).toContainText('share one Ethernet address');
  await panel(page).getByLabel('Leg B, chosen').fill('239.128.0.7');
  await page.keyboard.press('Enter');
  await expect(panel(page).getByRole('alert')).toContainText('reserved group');
  await page.keyboard.press('Escape');
  await panel(page)
    .getByRole('button', { name: /^Give Dome renderer S1 the group 239\.71\.9\.21/ })
    .click();
  // It is carrying: another group interrupts it, and that is said first.
  await expect(preview(page)).toContainText('Interrupts 8 lanes');
  await expect(preview(page).getByRole('button', { name: 'Apply anyway' })).toBeVisible();
  await apply(page);
  await expect(panel(page)).not.toContainText('share one Ethernet address');
  await page.keyboard.press('Control+z');
  await expect(panel(page)).toContainText('share one Ethernet address');
});

test('every view of the network is free of accessibility faults', async ({ browser, stack }) => {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
  const page = await context.newPage();
  for (const query of [
    '',
    '?view=cables&sel=link:up-wave-edge-a',
    '?view=subnets&sel=subnet:a-north',
    '?view=switches&sel=device:gallery-edge-a',
    '?view=streams&sel=stream:dome-renderer%2F1',
  ]) {
    await show(page, network(stack, query));
    if (query === '') await arranged(page);
    else await expect(page.getByRole('grid')).toBeVisible();
    await expect(panel(page).getByRole('heading').first()).toBeVisible();
    expect(await faults(page), query).toEqual([]);
  }
  await page.getByRole('button', { name: 'Import …' }).click();
  expect(await faults(page, { within: '[role=dialog]' })).toEqual([]);
  await context.close();
});
