import { readFileSync } from 'node:fs';
import type { Locator } from '@playwright/test';
import { expect, faults, lane, pick, show, test } from './stack';

test('an empty plan says what to do first, and from there to a lane takes a minute', async ({ page, stack }) => {
  await page.goto(stack.url);
  await page.getByLabel('Name', { exact: true }).fill('Lighthouse');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Gear: the boxes and their limits' })).toBeVisible();

  // One key away: N. Two amplifiers, then a console.
  await page.keyboard.press('n');
  const dialog = page.getByRole('dialog');
  await pick(dialog, 'Model', 'Amplifier 8');
  await page.getByLabel('How many').fill('2');
  await page.getByLabel(/^Name;/).fill('Lamp amp 1');
  await pick(dialog, /^Place/, 'Lamp room');
  await page.getByRole('button', { name: 'Add 2' }).click();
  await expect(page.locator('[data-row="lamp-amp-2"]')).toContainText('10.20.0.11');
  await expect(page.getByRole('dialog')).toHaveCount(0);
  await page.keyboard.press('n');
  await pick(dialog, 'Model', 'Stage box 24 × 12');
  await page.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(page.locator('[data-row="stage-box"]')).toBeVisible();

  await page.getByRole('link', { name: /Lanes/ }).click();
  await lane(page, 'lamp-amp-1', 1).click();
  await lane(page, 'lamp-amp-1', 8).click({ modifiers: ['Shift'] });
  await page.keyboard.press('Enter');
  await page.keyboard.type('stage box');
  await expect(lane(page, 'lamp-amp-1', 8)).toContainText('Stage box · out 8');
  await page.keyboard.press('Enter');
  await expect(lane(page, 'lamp-amp-1', 8)).toContainText('planned');
  await expect(page.getByTestId('refusals')).toContainText('No refusals');
});

test('from nothing to sixteen lanes on two legs with switches, clocks and cables in at most 35 clicks and keys', async ({
  page,
  stack,
}) => {
  await page.goto(stack.url);
  // A press of the mouse, a key, and a text that is typed count as one each.
  let count = 0;
  const click = async (on: Locator, options: Parameters<Locator['click']>[0] = {}) => {
    count += 1;
    await on.click(options);
  };
  const press = async (key: string) => {
    count += 1;
    await page.keyboard.press(key);
  };
  const type = async (text: string) => {
    count += 1;
    await page.keyboard.type(text);
  };
  const dialog = page.getByRole('dialog');
  const option = (name: string) => expect(page.getByRole('option', { name }).first()).toBeVisible();
  const added = async (id: string) => {
    await expect(page.locator(`[data-row="${id}"]`)).toBeVisible();
    await expect(dialog).toHaveCount(0);
  };

  await click(page.getByLabel('Name', { exact: true }));
  await type('Sixteen');
  await press('Enter');
  await expect(page.getByRole('heading', { name: 'Gear: the boxes and their limits' })).toBeVisible();
  // A stage box, with the subnet of leg B made on the way.
  await press('n');
  await expect(dialog.getByRole('combobox', { name: 'Model' })).toBeFocused();
  await type('stage');
  await option('Stage box');
  await press('Enter');
  await click(dialog.getByRole('combobox', { name: 'Leg B in' }));
  await type('10.21.0.0/24');
  await option('New subnet: 10.21.0.0/24');
  await press('Enter');
  await press('Enter');
  await added('stage-box');
  // Two amplifiers, two switches.
  for (const [what, name, last] of [
    ['ampl', 'Amplifier 8', 'amplifier-2'],
    ['edge switch 24', 'Edge switch 24', 'edge-switch-2'],
  ] as const) {
    await press('n');
    await expect(dialog.getByRole('combobox', { name: 'Model' })).toBeFocused();
    await type(what);
    await option(name);
    await press('Enter');
    await click(dialog.getByLabel('How many'), { clickCount: 2 });
    await type('2');
    await press('Enter');
    await added(last);
  }
  // All of it is cabled, each leg into a switch of its own.
  await page.getByRole('grid', { name: 'Devices' }).focus();
  await press('Control+a');
  await press('c');
  await expect(dialog.getByRole('button', { name: 'Plug in 6 cables' })).toBeFocused();
  await press('Enter');
  await expect(dialog).toHaveCount(0);
  // Sixteen lanes in one run.
  await click(page.getByRole('link', { name: /^Lanes/ }));
  await click(lane(page, 'amplifier-1', 1));
  await click(lane(page, 'amplifier-2', 8), { modifiers: ['Shift'] });
  await press('Enter');
  await type('stage box');
  await expect(lane(page, 'amplifier-1', 1)).toContainText('Stage box · out 1');
  await press('Enter');
  await expect(page.getByText('16 of 28')).toBeVisible();
  await expect(lane(page, 'amplifier-2', 8)).toContainText('Stage box · out 16');
  // A clock plan.
  await click(page.getByRole('link', { name: /^Clocks/ }));
  await click(page.getByRole('button', { name: 'Propose a clock plan …' }));
  await click(dialog.getByRole('button', { name: /^Preview/ }));
  await click(page.getByRole('region', { name: 'Preview' }).getByRole('button', { name: /^Apply/ }));
  await expect(page.getByTestId('refusals')).toContainText('No refusals');
  await expect(page.getByText('Streams 2', { exact: false }).first()).toBeVisible();
  expect(count).toBeLessThanOrEqual(35);
});

test('the list of plans says how each is; a first visit may take a walk of five steps, and leave it', async ({
  page,
  stack,
}) => {
  await page.goto(stack.url);
  const demo = page.getByRole('listitem', { name: 'Skerry Point', exact: true });
  await expect(demo).toContainText(/10 places, 60 devices, 328 lanes · \d+ of 47 answering/);
  await expect(demo.getByRole('img', { name: '7 refusals' })).toBeVisible();
  expect(await faults(page)).toEqual([]);
  await page.getByRole('button', { name: 'Start the walk' }).click();
  const walk = page.getByRole('region', { name: 'Walk' });
  await expect(walk.getByRole('heading')).toBeFocused();
  for (const title of [
    'What is refused says why',
    'Feed eight channels at once',
    'Every number opens to its working',
  ]) {
    await walk.getByRole('button', { name: 'Next' }).click();
    await expect(walk.getByRole('heading')).toContainText(title);
  }
  await expect(page.getByRole('complementary', { name: 'Reckoning' })).toContainText('Wave edge A → North core A');
  await walk.getByRole('button', { name: 'Back' }).click();
  await expect(lane(page, 'dome-amp-6', 8)).toHaveAttribute('aria-selected', 'true');
  expect(await faults(page, { within: '[aria-label="Walk"]' })).toEqual([]);
  await walk.getByRole('button', { name: 'Leave the walk' }).click();
  await expect(walk).toHaveCount(0);
  await page.goto(stack.url);
  await expect(page.getByRole('region', { name: 'First visit' })).toHaveCount(0);
});

test('plans are copied, renamed, removed, and brought back', async ({ page, stack }) => {
  await page.goto(stack.url);
  await page.getByLabel('Name', { exact: true }).fill('Mole');
  await page.getByLabel(/^First media network/).fill('not a network');
  await page.getByRole('button', { name: 'Create plan' }).click();
  await expect(page.getByRole('alert').filter({ hasText: '10.20.0.0/24' })).toBeVisible();
  await page.getByLabel(/^First media network/).fill('');
  await page.getByRole('button', { name: 'Create plan' }).click();
  await expect(page.getByRole('heading', { name: 'Mole', exact: true })).toBeVisible();

  await show(page, stack.url);
  await page.getByRole('button', { name: 'Copy Mole', exact: true }).click();
  await page.getByRole('dialog').getByRole('button', { name: 'Copy' }).click();
  await expect(page.getByRole('link', { name: 'Mole, copy', exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Rename Mole, copy' }).click();
  await page.getByRole('dialog').getByLabel('Name').fill('Breakwater');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('link', { name: 'Breakwater', exact: true })).toBeVisible();
  await page.getByRole('button', { name: 'Remove Breakwater' }).click();
  await expect(page.getByRole('link', { name: 'Breakwater', exact: true })).toHaveCount(0);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByRole('link', { name: 'Breakwater', exact: true })).toBeVisible();
});

test('a plan is saved as a file and opened again as a plan of its own; a bad file is refused with the place of what is wrong', async ({
  page,
  stack,
}) => {
  await page.goto(stack.url);
  const saving = page.waitForEvent('download');
  await page.getByRole('link', { name: 'Export Skerry Point as a file', exact: true }).click();
  const download = await saving;
  expect(download.suggestedFilename()).toBe('Skerry Point.plan.json');
  const text = readFileSync(await download.path(), 'utf8');

  const choose = (name: string, content: string | Buffer) =>
    page.getByLabel('Plan file').setInputFiles({ name, mimeType: 'application/json', buffer: Buffer.from(content) });
  const alert = page.getByRole('alert').filter({ hasText: 'It was not opened' });
  await choose('cut.json', text.slice(0, text.length / 2));
  await expect(alert).toContainText('not JSON');
  await choose('utf16.json', Buffer.from(text.slice(0, 500), 'utf16le').fill(0xff, 0, 1));
  await expect(alert).toContainText('the file is not text in UTF-8');
  await choose('wrong.json', text.replace('"loft-console"', '"no-such-console"'));
  await expect(alert).toContainText(/\/\w+\/\d+\/\w+.*is not in the file/);
  await choose('another.json', '{"scenes": []}');
  await expect(alert).toContainText("must have required property 'format'");
  await expect(page.getByRole('link', { name: 'Skerry Point', exact: true })).toHaveCount(1);

  await choose('good.json', text.replace('"name":"Skerry Point"', '"name":"Skerry Point, from a file"'));
  await expect(page.getByRole('grid', { name: 'Lanes' })).toBeVisible();
  await expect(page.getByText('Skerry Point, from a file')).toBeVisible();
  const id = new URL(page.url()).pathname.split('/')[2];
  const again = await (await page.request.get(`${stack.url}/api/plans/${id}/file`)).text();
  expect(again).toBe(text.replace('"name":"Skerry Point"', '"name":"Skerry Point, from a file"'));

  const schema = await (await page.request.get(`${stack.url}/api/plans/schema`)).json();
  expect(schema.properties.format).toEqual({ const: 'jade-lane-plan' });
  const tooLarge = await page.request.post(`${stack.url}/api/plans/file`, {
    data: 'x'.repeat(61_000_000),
    headers: { 'content-type': 'application/json' },
  });
  expect(tooLarge.status()).toBe(413);
  await page.request.delete(`${stack.url}/api/plans/${id}`, { data: {} });
});

test('devices are renamed, labelled, copied and removed, each taken back by one undo', async ({ page, stack }) => {
  await page.goto(`${stack.gear}?find=wave+stage`);
  const row = page.locator('[data-row="wave-stage-box"]');
  await row.click();
  await page.keyboard.press('F2');
  await page.keyboard.type('Tank box');
  await page.keyboard.press('Enter');
  // First everything that names it; left, it keeps its name.
  const dialog = page.getByRole('dialog', { name: 'Wave stage box becomes Tank box' });
  await expect(dialog).toContainText(/\d+ lanes with \d+ other devices are updated/);
  await dialog.getByRole('button', { name: 'Do not rename' }).click();
  await expect(page.getByLabel('Name', { exact: true })).toHaveValue('Wave stage box');
  await page.getByLabel('Name', { exact: true }).fill('Tank box');
  await page.keyboard.press('Enter');
  await expect(dialog.getByRole('button', { name: 'Rename', exact: true })).toBeFocused();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Tank box', exact: true })).toBeVisible();
  await page.getByRole('button', { name: /^Undo rename/ }).click();
  await expect(row).toContainText('Wave stage box');

  await row.click();
  await page.keyboard.press('Enter');
  await page.getByRole('tab', { name: 'Channels out' }).click();
  await page.getByLabel('Label of channel 17').fill('Bell rope');
  await page.keyboard.press('Enter');
  await expect(page.getByLabel('Label of channel 18')).toBeFocused();
  await page.getByRole('button', { name: 'Label many …' }).click();
  await page.getByLabel('From channel').fill('20');
  await page.getByLabel(/^One label a line/).fill('Gallery #');
  await page.getByRole('button', { name: 'Label', exact: true }).click();
  await expect(page.getByLabel('Label of channel 24')).toHaveValue('Gallery 5');
  await page.getByRole('button', { name: '← All devices' }).click();

  // Receivers take the labels of what they hear, and a label that changes at the sender is carried along.
  await show(page, `${stack.gear}?device=archive-recorder`);
  await page.getByRole('button', { name: 'Labels from senders' }).click();
  await expect(page.getByLabel('Label of channel 1', { exact: true })).toHaveValue('Tide bell');
  await expect(page.getByRole('button', { name: 'Labels from senders' })).toBeDisabled();
  await show(page, `${stack.gear}?device=wave-stage-box`);
  await page.getByRole('tab', { name: 'Channels out' }).click();
  await page.getByLabel('Label of channel 1', { exact: true }).fill('Ebb bell');
  await page.keyboard.press('Enter');
  const carry = page.getByRole('dialog', { name: 'Tide bell becomes Ebb bell' });
  await expect(carry).toContainText('Archive recorder in 1');
  await carry.getByRole('button', { name: 'Update all' }).click();
  await show(page, `${stack.gear}?device=archive-recorder`);
  await page.getByRole('tab', { name: 'Channels in' }).click();
  await expect(page.getByLabel('Label of channel 1', { exact: true })).toHaveValue('Ebb bell');
  for (const what of ['label Wave stage box out 1', 'label 56 channels of Archive recorder']) {
    await page.getByRole('button', { name: new RegExp(`^Undo ${what}`) }).click();
    await expect(page.getByRole('button', { name: new RegExp(`^Undo ${what}`) })).toHaveCount(0);
  }
  await show(page, `${stack.gear}?find=wave+stage`);
  await row.click();

  await page.getByRole('button', { name: 'More …' }).click();
  await page.getByRole('menuitem', { name: 'Copy …' }).click();
  await page.getByLabel('How many copies').fill('2');
  await page.getByRole('dialog').getByRole('button', { name: 'Copy' }).click();
  await expect(page.locator('[data-row="wave-stage-box-3"]')).toBeVisible();
  await page.locator('[data-row="wave-stage-box"]').click();
  await page.keyboard.press('Delete');
  await expect(page.getByRole('region', { name: 'Preview' })).toContainText('Loft console');
  await page
    .getByRole('region', { name: 'Preview' })
    .getByRole('button', { name: /^Apply/ })
    .click();
  await expect(page.locator('[data-row="wave-stage-box"]')).toHaveCount(0);
  await page.getByRole('button', { name: /^Undo remove/i }).click();
  await expect(page.locator('[data-row="wave-stage-box"]')).toBeVisible();
  await show(page, `${stack.lanes}?find=tank+mic+3`);
  await expect(lane(page, 'loft-console', 7)).toContainText('Wave stage box · Tank mic 3');
});

test('a duplicate address is found, and its fix takes it away', async ({ page, stack }) => {
  await page.goto(stack.gear.replace(/gear$/, 'network'));
  const panel = page.getByRole('complementary', { name: 'Reckoning' });
  await expect(panel).toContainText('10.71.36.111 is the address of Exhibit 11 and Exhibit 12');
  await panel.getByRole('button', { name: /^Give Exhibit 12 the address/ }).click();
  await expect(page.getByRole('region', { name: 'Preview' })).toContainText('Mends 1 finding.');
  await page.keyboard.press('Enter');
  await expect(panel).not.toContainText('10.71.36.111');
  await expect(page.getByRole('button', { name: /^Undo Give Exhibit 12/ })).toBeVisible();
});

test('a model of one’s own is begun from a found node, kept in the library, exported and imported, and told where it differs', async ({
  page,
  stack,
}) => {
  await page.goto(`${stack.gear}?models=1`);
  await expect(page.getByRole('grid', { name: 'Models' })).toBeVisible();
  expect(await faults(page)).toEqual([]);
  await page.getByRole('button', { name: 'New model …' }).click();
  const dialog = page.getByRole('dialog');
  await pick(dialog, 'Start from', 'Visiting recorder');
  await dialog.getByLabel('Name').fill('Quay recorder');
  await dialog.getByRole('button', { name: 'Create' }).click();
  const panel = page.getByRole('complementary', { name: 'Reckoning' });
  await expect(panel).toContainText('Version 1, ');
  await expect(panel).toContainText('from what Visiting recorder reports');
  await expect(panel).toContainText('smallest link offset: assumed');
  await page.getByRole('textbox', { name: 'Smallest link offset' }).fill('0.5');
  await page.keyboard.press('Tab');
  await page.getByRole('button', { name: 'Save to library …' }).click();
  await dialog.getByLabel(/^Note/).fill('from its data sheet');
  await page.keyboard.press('Enter');
  await expect(panel).toContainText('from its data sheet');
  expect(await faults(page)).toEqual([]);

  const saved = page.waitForEvent('download');
  await panel.getByRole('button', { name: 'Export' }).click();
  const text = readFileSync(await (await saved).path(), 'utf8');
  const name = '"Quay recorder"';
  await page.getByRole('button', { name: '← All models' }).click();
  await page.getByRole('button', { name: 'Import …' }).click();
  const file = (buffer: string) => ({ name: 'm.json', mimeType: 'application/json', buffer: Buffer.from(buffer) });
  await dialog.getByLabel('File of models').setInputFiles(file(text.replace(name, '7')));
  await expect(dialog.getByRole('alert')).toContainText('/models/0/name must be string');
  await dialog.getByLabel('File of models').setInputFiles(file(text.replace('"streamsSend": ', '"streamsSend": 1')));
  await expect(page.getByText('Imported: 1 model')).toBeVisible();

  // A device is made of the newest version; the plan keeps its copy when the library goes on.
  await show(page, `${stack.gear}?add=1`);
  await pick(dialog, 'Model', 'Quay recorder');
  await dialog.getByRole('button', { name: 'Add', exact: true }).click();
  await expect(dialog).toHaveCount(0);
  await show(page, `${stack.gear}?models=1&model=quay-recorder&edit=1`);
  await page.getByLabel('Maker').fill('Quay Works');
  await page.keyboard.press('Tab');
  await page.getByRole('button', { name: 'Save to library …' }).click();
  await page.getByRole('button', { name: 'Save version 4' }).click();
  const differences = panel.getByRole('table', { name: 'Differences' });
  await expect(differences.getByRole('row', { name: /Maker none “Quay Works”/ })).toBeVisible();
  await show(page, `${stack.gear}?sel=quay-recorder`);
  await expect(panel).toContainText('The library’s differs in 1 figure.');
});

test('nodes that the plan does not know are added as found, or bound to a device on paper', async ({ page, stack }) => {
  await page.goto(stack.gear);
  await page.getByRole('button', { name: '2 nodes not in the plan' }).click();
  await page.getByRole('listitem', { name: 'Visiting recorder' }).getByRole('button', { name: 'Add as found' }).click();
  await expect(page.getByRole('listitem', { name: 'Visiting recorder' })).toHaveCount(0);
  await page.getByLabel('Device on paper for Spare dome amp').selectOption({ label: 'Exhibit 14' });
  await page.getByRole('listitem', { name: 'Spare dome amp' }).getByRole('button', { name: 'Bind' }).click();
  await expect(page.getByText('Every node that answers is in the plan.')).toBeVisible();
  await page.getByRole('button', { name: 'Close' }).click();
  await show(page, `${stack.gear}?sel=visiting-recorder`);
  await expect(page.getByRole('complementary', { name: 'Reckoning' })).toContainText(
    'Bound to Visiting recorder by hand',
  );
});

test('a node is typed in by its address, by keyboard alone; which adapter sees which subnet stands beside it', async ({
  page,
  stack,
}) => {
  await page.goto(stack.gear);
  await page.getByTestId('answering').focus();
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: /Discovery/ }).focus();
  await page.keyboard.press('Enter');
  const dialog = page.getByRole('dialog', { name: 'Device discovery' });
  await expect(dialog.getByLabel(/^Address/)).toBeFocused();
  await page.keyboard.type('127.0.0.1:1');
  await page.keyboard.press('Enter');
  await expect(dialog.getByRole('row', { name: /127\.0\.0\.1:1/ })).toContainText('cannot be reached');
  await page.keyboard.type(`127.71.36.11:${stack.devicePort}`);
  await page.keyboard.press('Enter');
  const row = dialog.getByRole('row', { name: /127\.71\.36\.11/ });
  await expect(row).toContainText('Loft console');
  await expect(row).toContainText('answering');
  await expect(dialog.getByRole('row', { name: /Use lo, 127\.0\.0\.1/ })).toContainText('Leg A north, Leg A pier');
  expect(await faults(page)).toEqual([]);
  for (const address of ['127.0.0.1:1', '127.71.36.11']) {
    await dialog.getByRole('button', { name: new RegExp(`Remove .*${address.replaceAll('.', '\\.')}`) }).click();
    await expect(dialog.getByRole('row', { name: new RegExp(address.replaceAll('.', '\\.')) })).toHaveCount(0);
  }
  await expect(dialog).toContainText('connected');
  await page.keyboard.press('Escape');
  await expect(page.getByTestId('answering')).toBeVisible();
});

test('figures of a model are set for all its devices; a device that says otherwise is found, and taken at its word', async ({
  page,
  stack,
}) => {
  await page.goto(`${stack.gear}?sel=archive-recorder`);
  const panel = page.getByRole('complementary', { name: 'Reckoning' });
  await expect(panel).toContainText('Channels fed in blocks of 8.');
  await panel.getByRole('link', { name: 'Recorder 96, in blocks of eight' }).click();
  const blocks = page.getByLabel('Fed in blocks of');
  await blocks.fill('0');
  await expect(page.getByText('From 1 to 64.')).toBeVisible();
  await blocks.fill('4');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: 'Preview on 1 device' }).click();
  await page.getByRole('region', { name: 'Preview' }).getByRole('button', { name: 'Apply' }).click();
  await show(page, `${stack.gear}?sel=archive-recorder`);
  await expect(panel).toContainText(
    'Archive recorder reports that its channels are fed in blocks of 8; the model says in blocks of 4',
  );
  await panel.getByRole('button', { name: /^Set model Recorder 96, in blocks of eight: fed in blocks of 8/ }).click();
  await page.getByRole('region', { name: 'Preview' }).getByRole('button', { name: 'Apply' }).click();
  await expect(panel).toContainText('Channels fed in blocks of 8.');
  await expect(panel).not.toContainText('the model says');
});

test('one field finds devices, addresses and lanes, and runs commands', async ({ page, stack }) => {
  await page.goto(stack.lanes);
  await expect(page.getByRole('grid', { name: 'Lanes' })).toBeVisible();
  await page.keyboard.press('Control+k');
  await expect(page.getByRole('combobox')).toBeFocused();
  await page.keyboard.type('10.71.52.34');
  await expect(page.getByRole('option').first()).toContainText('Dome amp 4');
  await page.keyboard.press('Enter');
  await expect(page.getByRole('heading', { name: 'Dome amp 4' })).toBeVisible();
  await page.keyboard.press('Control+k');
  await expect(page.getByRole('combobox')).toBeFocused();
  await page.keyboard.type('refused');
  await page.keyboard.press('Enter');
  await expect(lane(page, 'lab-recorder', 13)).toContainText('48 → 96 kHz, no sample-rate converter');
  await expect(page).toHaveURL(/state=refused/);
});

test('on a phone every stage is read and searched, and the details come up as a sheet', async ({ browser, stack }) => {
  const context = await browser.newContext({ viewport: { width: 390, height: 844 } });
  const page = await context.newPage();
  const isWider = () => page.evaluate(() => document.documentElement.scrollWidth > window.innerWidth);
  await page.goto(stack.url);
  await expect(page.getByRole('listitem', { name: 'Skerry Point', exact: true })).toContainText(/\d+ devices/);
  expect(await isWider()).toBe(false);
  for (const [stage, query, filter, found] of [
    ['gear', '', 'Filter devices', 'Dome amp 6'],
    ['network', '?view=cables', 'Filter rows', 'Dome amp 6'],
    ['clocks', '', 'Filter rows', 'Dome amp 6'],
    ['lanes', '', 'Filter lanes', 'Dome amp 6'],
  ] as const) {
    await show(page, stack.gear.replace(/gear$/, `${stage}${query}`));
    await page.getByRole('searchbox', { name: filter }).fill('dome amp 6');
    await expect(page.getByRole('grid').getByText(found).first()).toBeVisible();
    expect(await isWider(), stage).toBe(false);
    await page.getByRole('button', { name: 'Details', exact: true }).click();
    await expect(page.getByRole('region', { name: 'Reckoning of the selection' })).toBeVisible();
    expect(await faults(page), stage).toEqual([]);
    await page.getByRole('button', { name: 'Close details' }).click();
  }
  // What is open is read there too, and leads on.
  await page.getByTestId('refusals').click();
  await page.getByRole('link', { name: /^Refusal Lab recorder 13, 14/ }).click();
  await expect(lane(page, 'lab-recorder', 13)).toBeVisible();
  await context.close();
});
