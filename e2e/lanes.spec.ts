import { expect, faults, lane, selectRun, show, test } from './stack';
import type { Page } from '@playwright/test';

test.use({ permissions: ['clipboard-read', 'clipboard-write'] });

const receives = (page: Page, device: string, channel: number, what: string) =>
  expect(lane(page, device, channel)).toContainText(what);
const apply = (page: Page) =>
  page.getByRole('region', { name: 'Preview' }).getByRole('button', { name: 'Apply' }).click();
/** Until the server has it: what a preview shows looks the same before. */
const isDone = (page: Page, title: RegExp) => expect(page.getByRole('button', { name: title })).toBeEnabled();
const more = async (page: Page, item: string | RegExp) => {
  await page.getByRole('button', { name: 'More …' }).click();
  await page.getByRole('menuitem', { name: item }).click();
};

test('a run is fed every n-th, in reverse, and by like label, each seen before it is applied', async ({
  page,
  stack,
}) => {
  await page.goto(stack.lanes);
  await selectRun(page, 'dome-amp-6', 'dome amp 6', 1, 8);
  await page.keyboard.press('Enter');
  await page.keyboard.type('dome speaker 1');
  await page.getByLabel('Reversed').check();
  await receives(page, 'dome-amp-6', 1, 'Dome speaker 8');
  await receives(page, 'dome-amp-6', 8, 'Dome speaker 1');
  await page.getByLabel('Sender channels from one to the next').fill('3');
  await receives(page, 'dome-amp-6', 2, 'Dome speaker 4');
  await page.getByLabel('Matching labels').check();
  await expect(page.getByRole('status').filter({ hasText: ' left: ' })).toContainText('Dome amp 6 1–8');
  await page.keyboard.press('Escape');
  await receives(page, 'dome-amp-6', 1, 'free');

  // Labels taken over from a sender: now every receiver finds its own.
  const put = await page.request.post(`${stack.url}/api/plans/${stack.planId}/batch`, {
    data: {
      author: { id: 'spec', name: 'Spec' },
      baseRevision: (await (await page.request.get(`${stack.url}/api/plans/${stack.planId}`)).json()).revision,
      title: 'label',
      commands: [
        {
          kind: 'label-channels',
          deviceId: 'dome-amp-6',
          side: 'receive',
          labels: [
            { channel: 1, label: 'Tide bell' },
            { channel: 2, label: 'hydrophone NEAR' },
          ],
        },
      ],
    },
  });
  expect(put.ok()).toBe(true);
  await page.keyboard.press('Enter');
  await page.getByLabel('Matching labels').check();
  await receives(page, 'dome-amp-6', 1, 'Tide bell');
  await receives(page, 'dome-amp-6', 2, 'Hydrophone near');
  await page.keyboard.press('Escape');
});

test('a block is copied from one receiver and pasted onto another; lines that cannot be read are named', async ({
  page,
  stack,
}) => {
  await page.goto(stack.lanes);
  await selectRun(page, 'dome-amp-1', 'dome amp', 1, 8);
  await page.keyboard.press('Control+c');
  await page.getByRole('searchbox', { name: 'Filter lanes' }).fill('dome amp 6');
  // The filter follows a moment after the typing: until then a click may meet the row that still stands there.
  await expect(lane(page, 'dome-amp-1', 1)).toHaveCount(0);
  await lane(page, 'dome-amp-6', 1).click();
  await expect(lane(page, 'dome-amp-6', 1)).toHaveAttribute('aria-selected', 'true');
  await page.keyboard.press('Control+v');
  await expect(page.getByRole('region', { name: 'Preview' })).toContainText('paste 8 feeds onto Dome amp 6 1–8');
  await receives(page, 'dome-amp-6', 8, 'Dome renderer · Dome speaker 8');
  await apply(page);
  await isDone(page, /^Undo paste 8 feeds/);
  await receives(page, 'dome-amp-6', 8, 'Dome speaker 8');
  await page.keyboard.press('Control+z');
  await receives(page, 'dome-amp-6', 8, 'free');

  await page.evaluate(() => navigator.clipboard.writeText('Loft console\t3\nNo such box\t1\nTide bell'));
  await lane(page, 'dome-amp-6', 4).click();
  await expect(lane(page, 'dome-amp-6', 1)).toHaveAttribute('aria-selected', 'false');
  await expect(lane(page, 'dome-amp-6', 4)).toHaveAttribute('aria-selected', 'true');
  await page.keyboard.press('Control+v');
  await expect(page.getByRole('region', { name: 'Preview' })).toContainText('onto Dome amp 6 4, 6');
  // What is left out is said before it is applied.
  await expect(page.getByRole('region', { name: 'Preview' })).toContainText(
    'Left out: 1 line that cannot be read (line 2: no device is called “No such box”).',
  );
  await receives(page, 'dome-amp-6', 4, 'Dome bus 3');
  await receives(page, 'dome-amp-6', 5, 'free');
  await receives(page, 'dome-amp-6', 6, 'Tide bell');
  await page.keyboard.press('Escape');
  await receives(page, 'dome-amp-6', 4, 'free');
});

test('the loom narrows the sheet to a ribbon, opens a place, and takes a run that is dropped on it', async ({
  page,
  stack,
}) => {
  await page.goto(stack.lanes);
  const loom = page.getByRole('region', { name: 'Loom' });
  await loom.getByRole('button', { name: /^Control Loft to Dome: 48 channels/ }).focus();
  await page.keyboard.press('Enter');
  await expect(page.getByText('48 rows')).toBeVisible();
  await expect(page).toHaveURL(/from=control-loft/);
  await page.keyboard.press('Escape');
  await expect(page.getByText('641 rows')).toBeVisible();

  // By keyboard: O opens the place that has the focus into what is in it.
  await loom.getByRole('button', { name: 'Dome: 40 channels sent' }).focus();
  await page.keyboard.press('o');
  await expect(loom.getByRole('button', { name: 'Dome renderer: 40 channels sent' })).toBeVisible();
  await loom.getByRole('button', { name: 'Close Dome' }).click();

  await selectRun(page, 'dome-amp-6', 'dome amp 6', 1, 4);
  await lane(page, 'dome-amp-6', 2).dragTo(page.locator('[data-loom-edge="send wave-hall"]'));
  await expect(page.getByPlaceholder('part of a sender’s name')).toHaveValue('Wave Hall');
  await receives(page, 'dome-amp-6', 4, 'Presenter desk');
  await expect(loom.getByRole('button', { name: /^Wave Hall to Dome: 4 channels, 4 planned/ })).toBeVisible();
  await page.keyboard.press('Enter');
  await isDone(page, /^Undo feed Dome amp 6/);
  await receives(page, 'dome-amp-6', 4, 'Presenter desk');
  await page.keyboard.press('Control+z');
  await receives(page, 'dome-amp-6', 4, 'free');
});

test('two senders are swapped for everyone, and all lanes of a device go to a spare', async ({ page, stack }) => {
  await page.goto(`${stack.lanes}?sel=dome-amp-1:1-1`);
  await receives(page, 'dome-amp-1', 1, 'Dome speaker 1');
  await more(page, 'Swap two senders …');
  const dialog = page.getByRole('dialog');
  await expect(dialog.getByLabel('First sender')).toHaveValue('dome-renderer');
  await dialog.getByLabel('Second sender').selectOption('dome-renderer');
  await dialog.getByLabel('Channel').nth(1).selectOption('8');
  await expect(dialog).toContainText('2 lanes would change');
  await dialog.getByRole('button', { name: 'Preview' }).click();
  await receives(page, 'dome-amp-1', 1, 'Dome speaker 8');
  await receives(page, 'dome-amp-1', 8, 'Dome speaker 1');
  await page.keyboard.press('Escape');

  await more(page, 'Move lanes to another device …');
  await dialog.getByRole('combobox').nth(0).selectOption('dome-amp-1');
  await dialog.getByRole('combobox').nth(1).selectOption('dome-amp-6');
  await expect(dialog).toContainText('8 lanes would change');
  await dialog.getByRole('button', { name: 'Preview' }).click();
  await receives(page, 'dome-amp-1', 1, 'free');
  await page.keyboard.press('Escape');
  await receives(page, 'dome-amp-1', 1, 'Dome speaker 1');
});

test('a patch list goes out and comes in: bad lines are named, good ones offered, nothing applied before yes', async ({
  page,
  stack,
}) => {
  await page.goto(stack.lanes);
  const saved = page.waitForEvent('download');
  await more(page, 'Export all as a patch list');
  const path = await (await saved).path();
  await more(page, 'Import a patch list …');
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('Patch list').setInputFiles(path);
  await expect(dialog).toContainText('0 to change, 641 as they are.');

  const bad = (name: string, text: string | Buffer) => ({ name, mimeType: 'text/csv', buffer: Buffer.from(text) });
  await dialog.getByLabel('Patch list').setInputFiles(bad('a.csv', Buffer.from([0xff, 0xfe, 0x41, 0x00])));
  await expect(dialog.getByRole('alert')).toContainText('the file is not text in UTF-8');
  await dialog.getByLabel('Patch list').setInputFiles(bad('b.csv', 'device,number\n5,1\n'));
  await expect(dialog.getByRole('alert')).toContainText('the column “receiver” is missing');
  await dialog
    .getByLabel('Patch list')
    .setInputFiles(
      bad(
        'c.csv',
        'receiver,channel,sender,sender channel\nDome amp 6,1,Loft console,5\nDome amp 6,9,Loft console,5\n',
      ),
    );
  await expect(dialog).toContainText('1 to change, 0 as they are, 1 refused.');
  await expect(dialog).toContainText('channel “9” is not one of 1 to 8');
  await dialog.getByRole('button', { name: 'Preview 1 change …' }).click();
  // It takes the focus when it comes, and gives it back where it was: that is not to be the filter, in which Ctrl Z is for what is typed.
  await expect(page.getByRole('region', { name: 'Preview' })).toBeVisible();
  await page.getByRole('searchbox', { name: 'Filter lanes' }).fill('dome amp 6');
  await receives(page, 'dome-amp-6', 1, 'Dome bus 5');
  await apply(page);
  await expect(page.getByRole('button', { name: /^Undo import 1 line from c.csv/ })).toBeEnabled();
  await page.keyboard.press('Control+z');
  await receives(page, 'dome-amp-6', 1, 'free');
});

test('a sender that only its SDP is known of is taken in: its stream is held, heard as it is, and never written', async ({
  page,
  stack,
}) => {
  await page.goto(stack.lanes);
  await more(page, 'Import senders from SDP or announcements …');
  const dialog = page.getByRole('dialog');
  const sdp = (from: string, group: string) =>
    [
      'v=0',
      `o=- 7 1 IN IP4 ${from}`,
      's=Show boat stream 1',
      't=0 0',
      'a=ts-refclk:ptp=IEEE1588-2008:00-11-22-FF-FE-33-44-55:0',
      'a=mediaclk:direct=0',
      'm=audio 5004 RTP/AVP 97',
      `c=IN IP4 ${group}/32`,
      'a=rtpmap:97 L24/48000/8',
      'a=ptime:1',
      '',
    ].join('\r\n');
  const file = (name: string, text: string) => ({ name, mimeType: 'application/sdp', buffer: Buffer.from(text) });
  await dialog
    .locator('input[type=file]')
    .setInputFiles([
      file('boat.sdp', sdp('10.71.52.90', '239.71.200.1')),
      file('loft.sdp', sdp('10.71.36.11', '239.71.200.2')),
      file('cut.sdp', 'v=0\r\no=- 1'),
    ]);
  await expect(dialog.getByRole('row', { name: /boat\.sdp/ })).toContainText('Show boat new');
  await expect(dialog.getByRole('row', { name: /loft\.sdp/ })).toContainText('Loft console in the plan already');
  await expect(dialog.getByRole('row', { name: /cut\.sdp/ })).toContainText('no m=audio line');
  expect(await faults(page, { within: '[role=dialog]' })).toEqual([]);
  await dialog.getByRole('button', { name: 'Preview 1 new sender …' }).click();
  await apply(page);
  await expect(page.getByRole('button', { name: /^Undo import 1 sender from SDP/ })).toBeEnabled();

  await selectRun(page, 'dome-amp-6', 'dome amp 6', 1, 2);
  await page.keyboard.press('Enter');
  await page.keyboard.type('show boat');
  await receives(page, 'dome-amp-6', 2, 'Show boat · out 2');
  await page.keyboard.press('Enter');
  await isDone(page, /^Undo feed Dome amp 6/);
  const panel = page.getByRole('complementary', { name: 'Reckoning' });
  await expect(panel).toContainText('239.71.200.1');
  await expect(panel).toContainText('Locked: repacking never touches it.');
  await page.keyboard.press('Control+Enter');
  await expect(dialog).toContainText('neither the registry nor an announcement lists this stream now');
  await page.keyboard.press('Escape');
  await expect(page.getByRole('dialog')).toHaveCount(0);
  await page.keyboard.press('Control+z');
  await isDone(page, /^Undo import 1 sender/);
  await page.keyboard.press('Control+z');
  await receives(page, 'dome-amp-6', 2, 'free');
});

test('a stream is held, the others are repacked: as it is beside repacked, what is interrupted, applied and taken back', async ({
  page,
  stack,
}) => {
  await page.goto(`${stack.lanes}?sel=exhibit-1:1-1`);
  const panel = page.getByRole('complementary', { name: 'Reckoning' });
  await expect(panel).toContainText('Kept as it was sent');
  await panel.getByRole('button', { name: 'Lock stream' }).click();
  await expect(panel).toContainText('Locked: repacking never touches it.');

  await more(page, 'Repack the streams …');
  const dialog = page.getByRole('dialog');
  await expect(dialog).toContainText('Nothing better can be found.');
  await expect(dialog.getByRole('button', { name: /^Preview/ })).toBeDisabled();
  await dialog.getByLabel('streams that carry may be interrupted').check();
  await expect(dialog.getByRole('button', { name: /^Preview \d+ streams fewer/ })).toBeEnabled();
  await dialog.getByRole('button', { name: 'Stop' }).click();
  await expect(dialog).toContainText('this is the best so far');
  await dialog.getByRole('button', { name: /^Preview/ }).click();
  await expect(page.getByRole('region', { name: 'Preview' })).toContainText(/Interrupts \d+ lanes/);
  await apply(page);
  await expect(page.getByRole('button', { name: /^Undo repack for the fewest streams/ })).toBeEnabled();
  await expect(panel).toContainText('Locked: repacking never touches it.');
  await page.keyboard.press('Control+z');
  await isDone(page, /^Undo hold/);
  await page.keyboard.press('Control+z');
  await expect(panel).toContainText('Kept as it was sent');
});

test('a receiver that is fed in blocks: what would break a block is refused with a way out, and sent whole', async ({
  page,
  stack,
}) => {
  await page.goto(`${stack.lanes}?sel=archive-recorder:2-3`);
  const panel = page.getByRole('complementary', { name: 'Reckoning' });
  await expect(panel).toContainText('2 channels selected');
  await page.getByRole('grid', { name: 'Lanes' }).focus();
  await page.keyboard.press('Delete');
  await receives(page, 'archive-recorder', 4, 'fed in blocks of 8 only');
  await expect(lane(page, 'archive-recorder', 9).locator('[data-state]')).toHaveAttribute('data-state', 'carrying');
  await lane(page, 'archive-recorder', 4).click();
  await expect(panel).toContainText('Archive recorder is fed in blocks of 8 channels');
  await panel.getByRole('button', { name: /^Feed the whole block of Archive recorder in step/ }).click();
  await receives(page, 'archive-recorder', 3, 'Hydrophone far');
  await apply(page);
  await isDone(page, /^Undo feed the whole block/i);
  for (const channel of [1, 3, 8]) {
    await expect(lane(page, 'archive-recorder', channel).locator('[data-state]')).toHaveAttribute(
      'data-state',
      'carrying',
    );
  }
});

test('everything of a device goes through a processing unit: fed, counted both ways, sent hop by hop', async ({
  page,
  stack,
}) => {
  await page.goto(`${stack.gear}?sel=dome-amp-6`);
  await page.getByLabel('Signal path').selectOption({ label: 'through North processing unit' });
  await isDone(page, /^Undo let Dome amp 6 go through North processing unit/);
  await show(page, stack.lanes);
  await selectRun(page, 'dome-amp-6', 'dome amp 6', 1, 2);
  await page.keyboard.press('Enter');
  await page.keyboard.type('tank mic 1');
  await expect(page.getByText('2 channels more will pass through the processing unit on the way.')).toBeVisible();
  await receives(page, 'dome-amp-6', 2, 'North processing unit · Tank mic 2, from Wave stage box');
  await page.keyboard.press('Enter');
  await isDone(page, /^Undo feed Dome amp 6/);
  await page.keyboard.press('Control+Enter');
  const dialog = page.getByRole('dialog');
  await expect(dialog).toContainText('North processing unit feeds channels 9, 10');
  await dialog.getByRole('button', { name: 'Activate' }).click();
  await expect(dialog.getByRole('button', { name: 'Close' })).toBeVisible();
  await page.keyboard.press('Enter');
  await expect(lane(page, 'dome-amp-6', 2).locator('[data-state]')).toHaveAttribute('data-state', 'carrying');

  await show(page, `${stack.gear}?sel=north-processor`);
  const panel = page.getByRole('complementary', { name: 'Reckoning' });
  await expect(panel).toContainText('Dome amp 6 is routed through it.');
  await expect(panel.getByRole('row', { name: 'passed, in 10' })).toBeVisible();
  await expect(panel.getByRole('row', { name: 'together 20' })).toBeVisible();
  await expect(panel).toContainText('38 of 48 passes left.');
});

test('channels change over together at a moment, and a model whose devices have no channel map keeps the order of its streams', async ({
  page,
  stack,
}) => {
  await page.goto(`${stack.lanes}?sel=dome-amp-4:1-8`);
  await page.getByRole('button', { name: /^Send …/ }).click();
  const dialog = page.getByRole('dialog');
  await dialog.getByLabel('switch at a set time').check();
  await dialog.getByLabel('Seconds until then').fill('0');
  await expect(dialog.getByRole('alert')).toContainText('From 1 to 3600 s.');
  await expect(dialog.getByRole('button', { name: 'Activate' })).toBeDisabled();
  await dialog.getByLabel('Seconds until then').fill('3');
  await dialog.getByRole('button', { name: 'Activate' }).click();
  await expect(dialog.getByRole('timer')).toContainText('until then nothing changes');
  await expect(dialog.getByRole('region', { name: 'What was done' })).toContainText(/switched (at|\d+ ms)/);
  await page.keyboard.press('Escape');
  await expect(dialog).toHaveCount(0);
  await expect(lane(page, 'dome-amp-4', 8).locator('[data-state]')).toHaveAttribute('data-state', 'carrying');

  await show(page, `${stack.gear}?models=1&model=amp-8&edit=1`);
  const order = page.getByLabel('Channels fed by its streams in');
  await order.fill('1–4 and more');
  await expect(page.getByRole('alert').filter({ hasText: 'As 1–8' })).toBeVisible();
  await order.fill('1-4, 5-8');
  await page.keyboard.press('Enter');
  await page.getByRole('button', { name: /^Preview on/ }).click();
  await apply(page);
  await expect(page.getByRole('region', { name: 'Preview' })).toHaveCount(0);
  await show(page, `${stack.lanes}?sel=dome-amp-4:5-5`);
  const panel = page.getByRole('complementary', { name: 'Reckoning' });
  await expect(panel).toContainText('Dome amp 4 has no channel map: channels come in the order of the stream.');
  // The devices have one, and say so.
  await show(page, `${stack.gear}?sel=dome-amp-4`);
  await expect(panel).toContainText('the model says that it has no channel map');
  await page.keyboard.press('Control+z');
  await expect(panel).not.toContainText('the model says that it has no channel map');
});

test('the loom and the dialogs of lanes are free of accessibility faults', async ({ page, stack }) => {
  const check = async () => expect(await faults(page)).toEqual([]);

  await page.goto(`${stack.lanes}?from=control-loft&to=dome`);
  await expect(page.getByText('48 rows')).toBeVisible();
  await check();
  await page.getByRole('button', { name: 'More …' }).click();
  await expect(page.getByRole('menuitem', { name: /Repack/ })).toBeVisible();
  await page.keyboard.press('Escape');
  for (const item of [/Repack/, /Swap/, /Move lanes/, /Import a patch list/]) {
    await more(page, item);
    await expect(page.getByRole('dialog').getByRole('heading')).toBeVisible();
    expect(await faults(page, { within: '[role=dialog]' })).toEqual([]);
    await page.keyboard.press('Escape');
    await expect(page.getByRole('dialog')).toHaveCount(0);
  }
});
