import { expect, expectStates, faults, lane, selectRun, show, test } from './stack';

const EIGHT = [1, 2, 3, 4, 5, 6, 7, 8];

test.describe.configure({ mode: 'serial' });

test('feed eight free channels of a Dome amplifier: see what it means, apply, undo, redo, send, carry, through loss and restart', async ({
  page,
  stack,
}) => {
  await page.goto(stack.lanes);
  await selectRun(page, 'dome-amp-6', 'dome amp 6', 1, 8);
  await expect(page.getByText('8 rows selected')).toBeVisible();

  // Press Enter, type part of a sender's name: the consequences stand in place before yes is said.
  await page.keyboard.press('Enter');
  await page.keyboard.type('tank mic');
  await expect(lane(page, 'dome-amp-6', 3)).toContainText('Wave stage box · Tank mic 3');
  const reckoning = page.getByRole('complementary', { name: 'Reckoning' });
  await expect(reckoning).toContainText('Fits.');
  await expect(reckoning).toContainText('On the wire');
  await expect(reckoning).toContainText('Wave edge A');
  await expect(reckoning).toContainText('Link offset');
  await expect(page.getByRole('contentinfo', { name: 'Totals' })).toContainText('+8');

  // Discarded: nothing was changed.
  await page.keyboard.press('Escape');
  await expect(lane(page, 'dome-amp-6', 3)).toContainText('free');

  // Again, and yes.
  await page.keyboard.press('Enter');
  await page.keyboard.type('tank mic 1');
  await expect(lane(page, 'dome-amp-6', 1)).toContainText('Tank mic 1');
  await page.keyboard.press('Enter');
  await expectStates(page, 'dome-amp-6', EIGHT, 'planned');

  // What was applied is there to be taken back, and the field that it was typed into has gone: keys in a field are the field's own.
  await expect(page.getByRole('button', { name: /^Undo feed Dome amp 6/ })).toBeEnabled();
  await expect(page.getByRole('listbox')).toHaveCount(0);
  await expect(page.getByRole('grid', { name: 'Lanes' })).toBeFocused();
  await page.keyboard.press('Control+z');
  await expect(lane(page, 'dome-amp-6', 1)).toContainText('free');
  await expect(page.getByRole('button', { name: /^Redo feed Dome amp 6/ })).toBeEnabled();
  await page.keyboard.press('Control+y');
  await expectStates(page, 'dome-amp-6', EIGHT, 'planned');

  // Stage: staged. Then activate: carrying.
  await page.keyboard.press('Control+Enter');
  await page.getByRole('button', { name: 'Stage' }).click();
  await expect(page.getByRole('dialog')).toContainText(/\d done/);
  await page.getByRole('button', { name: 'Close' }).click();
  await expectStates(page, 'dome-amp-6', EIGHT, 'staged');
  await page.keyboard.press('Control+Enter');
  await page.getByRole('button', { name: 'Activate' }).click();
  await expect(page.getByRole('dialog')).toContainText(/\d done/);
  await page.keyboard.press('Enter');
  await expectStates(page, 'dome-amp-6', EIGHT, 'carrying');

  // A stand-in off: waiting. On again: everything comes back by itself.
  await stack.panel('wave-stage-box', 'unplug');
  await expectStates(page, 'dome-amp-6', EIGHT, 'waiting');
  // It is told at every stage: a message, the count, the totals, the row and the panel, beside what the plan says.
  await expect(page.getByText('Wave stage box went offline')).toBeVisible();
  await page.getByTestId('answering').click();
  await page.getByLabel('Filter devices in the field').fill('loft console');
  await expect(page.getByRole('dialog').locator('tbody tr')).toHaveText([/^Loft console.*answeringread \d+ s ago$/]);
  await page.getByLabel('Filter devices in the field').fill('offline wave');
  await expect(page.getByRole('dialog').locator('tbody tr')).toHaveText([/^Wave stage boxWave Hall.*offline since/]);
  await page.keyboard.press('Escape');
  await expect(lane(page, 'dome-amp-6', 1)).toContainText('offline · Wave stage box');
  await page.getByTestId('refusals').click();
  await page.getByRole('link', { name: /^Lost Wave stage box is offline, \d+ lanes waiting/ }).click();
  await expect(page).toHaveURL(/gear\?sel=wave-stage-box/);
  await expect(page.getByText(/^In the field: offline since .*waiting$/)).toBeVisible();
  await page.goBack();
  // Gear says since when it is offline, and what happened.
  const gear = await page.context().newPage();
  await gear.goto(stack.gear);
  await expect(gear.getByRole('list', { name: 'Events in the field' })).toContainText('Wave stage box went offline');
  await gear.getByRole('searchbox', { name: 'Filter devices' }).fill('wave stage box');
  await gear.getByRole('row', { name: /Wave stage box/ }).click();
  await expect(gear.getByText(/^Offline since \d\d:\d\d:\d\d\.$/)).toBeVisible();
  await stack.panel('wave-stage-box', 'plug');
  await expect(gear.getByText(/^Bound to Wave stage box/)).toBeVisible();
  await gear.close();
  await expectStates(page, 'dome-amp-6', EIGHT, 'carrying');

  // The application is killed and started again: nothing is lost, and undo still knows.
  await stack.killAndRestart();
  await page.goto(stack.lanes);
  await page.getByRole('searchbox', { name: 'Filter lanes' }).fill('dome amp 6');
  await expect(lane(page, 'dome-amp-6', 8)).toContainText('Wave stage box · Tank mic 8');
  await expectStates(page, 'dome-amp-6', EIGHT, 'carrying');
  await expect(page.getByRole('button', { name: /^Undo feed Dome amp 6/ })).toBeEnabled();
});

test('clearing a lane that carries shows that the device still receives it, until that is sent too', async ({
  page,
  stack,
}) => {
  await page.goto(stack.lanes);
  await selectRun(page, 'dome-amp-6', 'dome amp 6', 7, 8);
  await page.keyboard.press('Delete');
  await expect(lane(page, 'dome-amp-6', 8)).toContainText('the device still receives stream');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByRole('dialog')).toContainText('clears channels 7, 8');
  await page.getByRole('button', { name: 'Activate' }).click();
  await page.getByRole('button', { name: 'Close' }).click();
  await expect(lane(page, 'dome-amp-6', 8)).not.toContainText('still receives');
});

test('a send shows each device as it goes, is stopped between devices, and what failed is tried again from the report', async ({
  page,
  stack,
}) => {
  await page.goto(stack.lanes);
  await selectRun(page, 'dome-amp-6', 'dome amp 6', 1, 4);
  await stack.panel('wave-stage-box', 'delay', { ms: 1200 });
  await page.keyboard.press('Control+Enter');
  const dialog = page.getByRole('dialog');
  await page.getByRole('button', { name: 'Activate' }).click();
  const going = dialog.getByRole('list', { name: 'Devices as they go' });
  await expect(going.getByRole('listitem').filter({ hasText: 'Wave stage box' })).toContainText('…');
  await expect(going.getByRole('listitem').filter({ hasText: 'Dome amp 6' })).toContainText('waiting');
  await page.keyboard.press('Enter');
  await expect(dialog.getByRole('status')).toContainText('Stopped before 1 device: Dome amp 6.');
  expect(await faults(page)).toEqual([]);

  // It answers in time again, and the amplifier does not.
  await stack.panel('wave-stage-box', 'delay', { ms: 0 });
  await stack.panel('dome-amp-6', 'delay', { ms: 8000 });
  // On a slow machine the box may have been too late for some of it.
  await dialog.getByRole('button', { name: /^Retry [12] devices?$/ }).click();
  await expect(dialog.getByRole('status')).toContainText('1 failed');
  await expect(dialog.getByRole('listitem').first()).toContainText('Dome amp 6');
  await stack.panel('dome-amp-6', 'delay', { ms: 0 });
  await dialog.getByRole('button', { name: 'Retry 1 device' }).click();
  await expect(dialog.getByRole('status')).toContainText(/\d done/);
  await expect(dialog.getByRole('button', { name: /^Retry/ })).toHaveCount(0);
  await dialog.getByRole('button', { name: 'Close' }).click();
  await expectStates(page, 'dome-amp-6', [1, 2, 3, 4], 'carrying');
});

test('all the same gives every channel the one sender; beyond a sender’s last channel the rest is left and said to be', async ({
  page,
  stack,
}) => {
  await page.goto(stack.lanes);
  await selectRun(page, 'dome-amp-6', 'dome amp 6', 1, 8);
  await page.keyboard.press('Enter');
  await page.keyboard.type('dome speaker 38');
  await expect(page.getByRole('status').filter({ hasText: 'no channel left' })).toContainText('Dome amp 6 4–8');
  await page.keyboard.press('Alt+ArrowRight');
  await expect(lane(page, 'dome-amp-6', 8)).toContainText('Dome speaker 38');
  await page.keyboard.press('Escape');
});

test('a lane that a check forbids says why, with the numbers, and a fix is seen before it is applied', async ({
  page,
  stack,
}) => {
  await page.goto(`${stack.lanes}?sel=lab-recorder:13-14`);
  await expectStates(page, 'lab-recorder', [13, 14], 'refused');
  const reckoning = page.getByRole('complementary', { name: 'Reckoning' });
  await expect(reckoning).toContainText(
    'Loft console runs at 48 kHz and Lab recorder at 96 kHz, and no sample-rate converter is between them.',
  );
  // Cautions come and go with what the field tells meanwhile.
  const refusals = page.getByTestId('refusals');
  const before = /\d+ refusals/.exec((await refusals.textContent()) ?? '')?.[0] ?? 'no refusal is shown';
  await reckoning.getByRole('button', { name: /^Clear these 2 lanes/ }).click();
  await expect(page.getByRole('region', { name: 'Preview' })).toContainText('Mends 1 finding.');
  await expect(lane(page, 'lab-recorder', 13)).toContainText('free');
  await page.keyboard.press('Escape');
  await expectStates(page, 'lab-recorder', [13, 14], 'refused');
  await expect(refusals).toContainText(before);
});

test('what one browser changes the other shows, and a clash is told to the second', async ({
  page,
  stack,
  browser,
}) => {
  const other = await (await browser.newContext()).newPage();
  await page.goto(`${stack.lanes}?find=dome+amp+6`);
  await other.goto(`${stack.lanes}?find=dome+amp+6`);
  await expect(page.getByRole('button', { name: /; 1 more here/ })).toBeVisible();
  // Who is here can be told by name.
  await other.getByRole('button', { name: /^You are Engineer/ }).click();
  await other.getByLabel(/^Name, shown to others/).fill('Harbour pilot');
  await other.keyboard.press('Enter');
  await expect(page.getByTitle(/Harbour pilot/)).toBeVisible();
  await lane(other, 'dome-amp-6', 8).click();
  await other.keyboard.press('Enter');
  await other.keyboard.type('narration');
  await expect(lane(other, 'dome-amp-6', 8)).toContainText('Narration');
  await other.keyboard.press('Enter');
  await expect(lane(page, 'dome-amp-6', 8)).toContainText('Narration');

  // One who looks at a feed that the other overtakes is asked which of the two stays: Enter alone overwrites nothing.
  await lane(page, 'dome-amp-6', 7).click();
  await page.keyboard.press('Enter');
  await page.keyboard.type('tank mic 1');
  await expect(lane(page, 'dome-amp-6', 7)).toContainText('Tank mic 1');
  await lane(other, 'dome-amp-6', 7).click();
  await other.keyboard.press('Enter');
  await other.keyboard.type('tide bell');
  await expect(lane(other, 'dome-amp-6', 7)).toContainText('Tide bell');
  await other.keyboard.press('Enter');
  const asked = page.getByRole('alert').filter({ hasText: 'Changed meanwhile by Harbour pilot' });
  await expect(asked).toContainText(/theirs .*Tide bell.* yours Wave stage box · Tank mic 1/);
  await page.keyboard.press('Enter');
  await expect(asked.getByRole('button', { name: /^Replace theirs/ })).toBeFocused();
  await asked.getByRole('button', { name: 'Discard mine' }).click();
  await expect(lane(page, 'dome-amp-6', 7)).toContainText('Tide bell');
  // What the other did stands in the history, and can be taken back from there.
  await page.getByRole('button', { name: 'History' }).click();
  await page.getByLabel('Device in the history').selectOption({ label: 'Dome amp 6' });
  await page.getByRole('button', { name: /feed Dome amp 6 7 .*Harbour pilot/ }).click();
  await page.getByRole('button', { name: 'Take back this step' }).click();
  await expect(lane(other, 'dome-amp-6', 7)).toContainText('free');
  await page.keyboard.press('Escape');

  // A request made against the revision before that, for the same channel: refused, with who was first.
  const { revision } = (await (await page.request.get(`${stack.url}/api/plans/${stack.planId}?author=x`)).json()) as {
    revision: number;
  };
  const stale = await page.request.post(`${stack.url}/api/plans/${stack.planId}/batch`, {
    data: {
      author: { id: 'late', name: 'Late' },
      baseRevision: revision - 3,
      title: 'too late',
      commands: [{ kind: 'unsubscribe', channels: [{ deviceId: 'dome-amp-6', channel: 8 }] }],
    },
  });
  expect(stale.status()).toBe(409);
  expect(((await stale.json()) as { error: { code: string } }).error.code).toBe('conflict');
  await expect(lane(page, 'dome-amp-6', 8)).toContainText('Narration');
  await other.close();
});

test('bad requests get a clear error that names the field, and nothing is changed', async ({ page, stack }) => {
  const api = `${stack.url}/api/plans/${stack.planId}`;
  const read = async () =>
    (await page.request.get(`${api}?author=x`)).json() as Promise<{ revision: number; file: object }>;
  const before = await read();
  const author = { id: 'bad', name: 'Bad' };
  const post = async (data: unknown) => {
    const response = await page.request.post(`${api}/batch`, { data, headers: { 'content-type': 'application/json' } });
    const text = await response.text();
    expect(text).not.toMatch(/node_modules|at \w+ \(/);
    return {
      status: response.status(),
      error: (JSON.parse(text) as { error: { code: string; field: string | null } }).error,
    };
  };
  const batch = (commands: unknown) => ({ author, baseRevision: before.revision, title: 't', commands });
  expect(
    await post(
      batch([
        {
          kind: 'subscribe',
          subscriptions: [
            {
              receiverDeviceId: 'dome-amp-6',
              receiverChannel: 'one',
              senderDeviceId: 'loft-console',
              senderChannel: 1,
            },
          ],
        },
      ]),
    ),
  ).toMatchObject({ status: 400, error: { field: 'commands[0].subscriptions[0].receiverChannel' } });
  expect(await post(batch([{ kind: 'remove-device', deviceId: 'nobody' }]))).toMatchObject({
    status: 404,
    error: { field: 'commands[0].deviceId' },
  });
  expect(await post({ ...batch([{ kind: 'remove-device', deviceId: 'x' }]), baseRevision: 9999 })).toMatchObject({
    status: 400,
    error: { field: 'baseRevision' },
  });
  expect(await post(batch([{ kind: 'change-settings', settings: { name: 'x'.repeat(31_000_000) } }]))).toMatchObject({
    status: 413,
  });
  // A batch of more than a megabyte is read beside the thread that serves everyone, by the build that people run.
  const large = Array.from({ length: 18_000 }, () => ({
    kind: 'unsubscribe',
    channels: [{ deviceId: 'dome-amp-6', channel: 4096 }],
  }));
  const taken = await page.request.post(`${api}/batch`, { data: batch(large) });
  expect([taken.status(), ((await taken.json()) as { revision: number }).revision]).toEqual([200, before.revision]);
  expect(await post(batch([...large, { kind: 'constructor' }]))).toMatchObject({
    status: 400,
    error: { field: 'commands[18000].kind' },
  });
  expect(await post('{"author":')).toMatchObject({ status: 400 });
  expect((await page.request.get(`${stack.url}/api/plans/none?author=x`)).status()).toBe(404);
  expect(await read()).toEqual(before);
});

test('the lane sheet, feed and send are accessible', async ({ browser, stack }) => {
  const context = await browser.newContext();
  const page = await context.newPage();
  await page.goto(`${stack.lanes}?sel=lab-recorder:12-13`);
  await expect(lane(page, 'lab-recorder', 13)).toBeVisible();
  expect(await faults(page)).toEqual([]);
  await page.getByRole('grid', { name: 'Lanes' }).focus();
  await page.keyboard.press('Enter');
  await page.keyboard.type('tide');
  await expect(page.getByRole('listbox').getByRole('option').first()).toBeVisible();
  expect(await faults(page)).toEqual([]);
  await page.keyboard.press('Escape');
  await page.keyboard.press('Control+Enter');
  await expect(page.getByRole('dialog')).toContainText('Not sent');
  expect(await faults(page)).toEqual([]);
  await page.keyboard.press('Escape');
  await show(page, `${stack.gear}?sel=exhibit-12`);
  await expect(page.getByRole('grid', { name: 'Devices' })).toBeVisible();
  expect(await faults(page)).toEqual([]);
  await show(page, stack.url);
  await expect(page.getByRole('link', { name: 'Skerry Point', exact: true })).toBeVisible();
  expect(await faults(page)).toEqual([]);
  await context.close();
});
