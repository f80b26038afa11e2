import { readFileSync } from 'node:fs';
import { strToU8, zipSync } from 'fflate';
import { expect, expectStates, faults, lane, selectRun, show, test } from './stack';
import type { Page } from '@playwright/test';

interface Dropped {
  readonly name: string;
  readonly bytes: Uint8Array;
}
const file = (name: string, content: string | Uint8Array): Dropped => ({
  name,
  bytes: typeof content === 'string' ? strToU8(content) : content,
});

/** Drops files somewhere on the window, as a hand would: once the page says that they may be let go, as one that has just been loaded does not yet. */
async function drop(page: Page, files: readonly Dropped[], isLetGo = true): Promise<void> {
  const data = await page.evaluateHandle(
    (list) => {
      const transfer = new DataTransfer();
      for (const f of list) transfer.items.add(new File([Uint8Array.from(f.bytes)], f.name));
      return transfer;
    },
    files.map((f) => ({ name: f.name, bytes: [...f.bytes] })),
  );
  const words = page.locator('[data-drop-anywhere]');
  await expect(async () => {
    await page.dispatchEvent('body', 'dragenter', { dataTransfer: data });
    await expect(words).toBeVisible({ timeout: 1_000 });
  }).toPass();
  await page.dispatchEvent('body', 'dragover', { dataTransfer: data });
  if (isLetGo) await page.dispatchEvent('body', 'drop', { dataTransfer: data });
}

const sdp = (from: string, group: string, session: number, name: string) =>
  [
    'v=0',
    `o=- ${session} 1 IN IP4 ${from}`,
    `s=${name}`,
    't=0 0',
    'a=ts-refclk:ptp=IEEE1588-2008:00-11-22-FF-FE-33-44-55:0',
    'a=mediaclk:direct=0',
    'm=audio 5004 RTP/AVP 97',
    `c=IN IP4 ${group}/32`,
    'a=rtpmap:97 L24/48000/2',
    'a=ptime:1',
    '',
  ].join('\r\n');

const apply = (page: Page) =>
  page.getByRole('region', { name: 'Preview' }).getByRole('button', { name: 'Apply' }).click();
const isDone = (page: Page, title: RegExp) => expect(page.getByRole('button', { name: title })).toBeEnabled();

test('files dropped anywhere are told apart by what is in them; what cannot be used says why; nothing changes', async ({
  page,
  stack,
}) => {
  const failures: string[] = [];
  page.on('pageerror', (e) => failures.push(e.message));
  await page.goto(`${stack.url}/plans/${stack.planId}/clocks`);
  await expect(page.getByRole('heading', { name: /Clocks of this plan/ })).toBeVisible();
  await drop(page, [file('x', 'v=0')], false);
  await expect(page.locator('[data-drop-anywhere]')).toContainText('Drop to import');
  const dialog = page.getByRole('dialog');
  const title = dialog.getByRole('heading').first();

  await drop(page, [file('looks-like-a-plan.json', 'receiver,channel,sender,sender channel\nDome amp 6,1,,\n')]);
  await expect(title).toHaveText('Import a patch list');
  await expect(dialog).toContainText('Looking at looks-like-a-plan.json');
  await expect(page.locator('[data-drop-anywhere]')).toHaveCount(0);
  await page.keyboard.press('Escape');

  await drop(page, [file('net', 'device,port,address\nDome amp 6,A,10.71.52.200\n'), file('notes.txt', 'hello')]);
  await expect(title).toHaveText('Import the network as it is');
  await expect(dialog).toContainText('1 differ');
  await expect(page.getByText('notes.txt: it is not a session description or JSON')).toBeVisible();
  await page.keyboard.press('Escape');

  const zip = zipSync({
    'deck/a.sdp': strToU8(sdp('10.71.52.91', '239.71.210.1', 1, 'Deck stream 1')),
    'deck/b.sdp': strToU8(sdp('10.71.52.91', '239.71.210.2', 2, 'Deck stream 2')),
    'readme.txt': strToU8('not one'),
  });
  await drop(page, [file('deck.zip', zip)]);
  await expect(title).toHaveText('Import senders from SDP or announcements');
  await expect(dialog.getByRole('row', { name: /deck\/b\.sdp/ })).toContainText('Deck new');
  await expect(dialog.getByRole('alert')).toContainText('deck.zip, readme.txt: is not a session description');
  expect(await faults(page, { within: '[role=dialog]' })).toEqual([]);
  await page.keyboard.press('Escape');

  await drop(page, [file('cut.zip', zip.slice(0, zip.length - 40))]);
  await expect(dialog.getByRole('alert')).toContainText('it ends too early, or is damaged');
  await page.keyboard.press('Escape');
  await drop(page, [file('bomb.zip', zipSync({ 'a.sdp': new Uint8Array(30_000_000) }))]);
  await expect(page.getByText('the archive holds no session description: a.sdp it unpacks to more than')).toBeVisible();
  await drop(page, [file('latin.csv', Uint8Array.from([0xe9, 0x2c, 0x41]))]);
  await expect(page.getByText('latin.csv: the file is not text in UTF-8')).toBeVisible();
  await expect(dialog).toHaveCount(0);
  await expect(page.getByRole('button', { name: 'Undo' })).toBeDisabled();
  expect(failures).toEqual([]);
});

test('resources of NMOS become devices; another plan is merged kind by kind, or refused with the place of what is wrong', async ({
  page,
  stack,
}) => {
  await page.goto(stack.gear);
  const dialog = page.getByRole('dialog');
  const id = '3b8be755-08ff-452b-b217-c9151eb21193';
  const nodes = [
    {
      ...{ id, label: 'Sea organ', href: 'http://10.71.36.77/', services: [], tags: {}, clocks: [], interfaces: [] },
      api: { endpoints: [{ host: '10.71.36.77', port: 80, protocol: 'http' }] },
    },
  ];
  const devices = [{ id: 'd', node_id: id, label: 'Sea organ', controls: [] }];
  const receivers = ['r1', 'r2', 'lost'].map((r) => ({
    ...{ id: r, device_id: r === 'lost' ? 'gone' : 'd', transport: 'x', format: 'urn:x-nmos:format:audio', caps: {} },
  }));
  await drop(page, [file('registry.json', JSON.stringify({ nodes, devices, receivers }))]);
  await expect(dialog.getByRole('row', { name: /Sea organ/ })).toContainText('16 ch in 2 streams');
  await expect(dialog.getByRole('alert')).toContainText('/receivers/2/device_id the device gone is not in the file');
  expect(await faults(page, { within: '[role=dialog]' })).toEqual([]);
  await dialog.getByRole('button', { name: 'Preview 1 new device …' }).click();
  await apply(page);
  await isDone(page, /^Undo import 1 device from registry.json/);
  await expect(page.getByRole('row', { name: /Sea organ/ })).toContainText('10.71.36.77');

  const saved = await (await page.request.get(`${stack.url}/api/plans/${stack.planId}/file`)).json();
  const other = structuredClone(saved);
  other.places.push({ id: 'attic', name: 'Attic', parentId: null });
  other.devices.find((d: { id: string }) => d.id === 'dome-amp-1').name = 'Amp of the north arc';
  await drop(page, [file('other.json', JSON.stringify(other))]);
  await expect(dialog.getByRole('row', { name: /^Places 1 0/ })).toBeVisible();
  await expect(dialog.getByRole('row', { name: /^Devices 0 1/ })).toContainText('Amp of the north arc');
  await expect(dialog.getByRole('button', { name: 'Preview 1 record …' })).toBeEnabled();
  await dialog.getByLabel('Use devices of the file where they differ').check();
  expect(await faults(page, { within: '[role=dialog]' })).toEqual([]);
  await dialog.getByRole('button', { name: 'Preview 2 records …' }).click();
  await apply(page);
  await isDone(page, /^Undo import 2 records from other.json/);
  await expect(page.getByRole('row', { name: /Amp of the north arc/ })).toBeVisible();
  await page.keyboard.press('Control+z');
  await isDone(page, /^Undo import 1 device/);

  other.labels[0].channel = 0;
  await drop(page, [file('bad.json', JSON.stringify(other))]);
  await expect(dialog.getByRole('alert')).toContainText('/labels/0/channel');
  await expect(dialog.getByRole('button', { name: /^Preview/ })).toBeDisabled();
  await page.keyboard.press('Escape');
  await page.keyboard.press('Control+z');
  await expect(page.getByRole('row', { name: /Sea organ/ })).toHaveCount(0);
});

test('what is taken out is recognised again: streams as SDP, what the registry tells, a plan dropped on the list of plans', async ({
  page,
  stack,
}) => {
  await page.goto(`${stack.url}/plans/${stack.planId}/network?view=streams`);
  const saved = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Export all as SDP' }).click();
  const archive = await (await saved).path();
  const dialog = page.getByRole('dialog');
  await drop(page, [file('any name', readFileSync(archive))]);
  await expect(dialog.getByRole('row', { name: /in the plan already/ })).toHaveCount(56);
  await expect(dialog.getByRole('button', { name: 'Preview 0 new senders …' })).toBeDisabled();
  await page.keyboard.press('Escape');
  await show(page, `${stack.url}/plans/${stack.planId}/network?view=streams&sel=stream:loft-console/1`);
  const one = page.waitForEvent('download');
  await page.getByRole('button', { name: 'Export SDP' }).click();
  const text = readFileSync(await (await one).path(), 'utf8');
  expect(text).toContain('a=rtpmap:97 L24/48000/8');
  expect(text).toContain('a=ts-refclk:ptp=IEEE1588-2008:');

  await show(page, stack.gear);
  await page.getByRole('button', { name: 'More …' }).click();
  await page.getByRole('menuitem', { name: /^Import from NMOS/ }).click();
  const told = page.waitForEvent('download');
  await dialog.getByRole('link', { name: 'Export what the registry lists now' }).click();
  const resources = readFileSync(await (await told).path());
  await dialog.getByLabel('NMOS resources').setInputFiles({
    ...{ name: 'nmos.json', mimeType: 'application/json', buffer: resources },
  });
  // Two strangers of the demo; all others are known.
  await expect(dialog.getByRole('row', { name: /Visiting recorder new 10\.71\.36\.250/ })).toBeVisible();
  await expect(dialog.getByRole('button', { name: 'Preview 2 new devices …' })).toBeEnabled();
  await expect(dialog.getByRole('alert')).toHaveCount(0);
  await page.keyboard.press('Escape');

  const plan = await (await page.request.get(`${stack.url}/api/plans/${stack.planId}/file`)).text();
  await show(page, stack.url);
  await expect(page.getByRole('link', { name: 'Skerry Point', exact: true })).toBeVisible();
  await drop(page, [file('harbour.json', plan.replace('"name":"Skerry Point"', '"name":"Dropped harbour"'))]);
  await expect(page).toHaveURL(/\/plans\/[^/]+\/lanes/);
  await expect(page.getByText('Dropped harbour')).toBeVisible();
});

test('a player that only announces itself is taken in, heard and sent; when it goes its lanes wait', async ({
  page,
  stack,
}) => {
  await page.goto(stack.lanes);
  await expect(page.getByRole('grid', { name: 'Lanes' })).toBeVisible();
  await page.keyboard.press('Control+k');
  await expect(page.getByRole('combobox')).toBeFocused();
  await page.keyboard.type('announced');
  await page.keyboard.press('Enter');
  const dialog = page.getByRole('dialog');
  await expect(dialog).toContainText('3 sessions announced (SAP, RTSP), the last one');
  await expect(dialog.getByRole('row', { name: /10\.71\.80\.40/ })).toContainText('44.1 kHz');
  expect(await faults(page, { within: '[role=dialog]' })).toEqual([]);
  await dialog.getByRole('button', { name: 'Preview 2 new senders …' }).click();
  await apply(page);
  await isDone(page, /^Undo import 2 senders/);
  await selectRun(page, 'dome-amp-6', 'dome amp 6', 1, 2);
  await page.keyboard.press('Enter');
  await page.keyboard.type('visiting player');
  await expect(lane(page, 'dome-amp-6', 2)).toContainText('Visiting player · out 2');
  await page.keyboard.press('Enter');
  await isDone(page, /^Undo feed Dome amp 6/);
  await page.keyboard.press('Control+Enter');
  await expect(dialog).toContainText('Visiting player is left as it is; stream 1 with channels 1–8 to Dome amp 6');
  await dialog.getByRole('button', { name: 'Activate' }).click();
  await expect(dialog.getByRole('button', { name: 'Close' })).toBeVisible();
  await page.keyboard.press('Enter');
  await expectStates(page, 'dome-amp-6', [1, 2], 'carrying');
  await stack.announcer('visiting-player', 'unplug');
  await expectStates(page, 'dome-amp-6', [1, 2], 'waiting');
  await stack.announcer('visiting-player', 'plug');
  await expectStates(page, 'dome-amp-6', [1, 2], 'carrying');

  // The boat's player runs at a rate of its own: the plan says so before anything is sent.
  await selectRun(page, 'dome-amp-6', 'dome amp 6', 7, 8);
  await page.keyboard.press('Enter');
  await page.keyboard.type('boat player');
  await expect(lane(page, 'dome-amp-6', 8)).toContainText('44.1 → 48 kHz, no sample-rate converter');
  await page.keyboard.press('Escape');
});

test('labels have a short one beside them, as long as the device holds; who subscribes by name is listed before a rename', async ({
  page,
  stack,
}) => {
  await page.goto(`${stack.gear}?device=loft-console`);
  await page.getByRole('tab', { name: 'Channels out' }).click();
  await expect(page.getByRole('columnheader', { name: 'Short, at most 6' })).toBeVisible();
  await page.getByLabel('Short label of channel 71').fill('Narr');
  await page.keyboard.press('Enter');
  await isDone(page, /^Undo short label of Loft console out 71/);
  await page.getByRole('button', { name: 'Short labels' }).click();
  await expect(page.getByLabel('Short label of channel 12')).toHaveValue('DmBs12');
  await expect(page.getByLabel('Short label of channel 71')).toHaveValue('Narr');
  await page.getByLabel('Short label of channel 12').fill('much too long');
  await expect(page.getByLabel('Short label of channel 12')).toHaveValue('much t');
  await page.keyboard.press('Escape');
  expect(await faults(page)).toEqual([]);

  // Five intercom stations keep the name of what they hear.
  await page.getByLabel('Label of channel 72', { exact: true }).fill('Director talk');
  await page.keyboard.press('Enter');
  const dialog = page.getByRole('dialog');
  await expect(dialog).toContainText('5 devices subscribe by name: Intercom 1, Intercom 2');
  await dialog.getByRole('button', { name: 'Rename', exact: true }).click();
  await isDone(page, /^Undo label Loft console out 72/);
  await expect(page.getByLabel('Label of channel 72', { exact: true })).toHaveValue('Director talk');
});
