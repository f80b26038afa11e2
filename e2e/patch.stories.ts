import { expect, faults, pick, show, test, type Stack } from './stack';

const patch = (stack: Stack, query = '') => `${stack.gear.replace(/gear$/, 'patch')}${query}`;

test('a hydrophone is followed to the Dome, and the talkback is patched to a strip by keyboard alone', async ({
  page,
  stack,
}) => {
  await page.goto(patch(stack));
  await pick(page.locator('body'), 'Device', 'Wave stage box');
  const sockets = page.getByRole('treegrid', { name: 'In' });
  await sockets.focus();
  await page.keyboard.press('Home');
  // The heading, the first channel, the second.
  await page.keyboard.press('ArrowDown');
  await page.keyboard.press('ArrowDown');
  await expect(page.getByRole('heading', { name: 'Hydrophone near' })).toBeVisible();
  await expect(page.getByText('28.8 dB of headroom')).toBeVisible();
  const path = page.getByRole('list', { name: 'Signal path' });
  await expect(path.getByRole('button', { name: /^Loft console · Strip 2 / })).toBeVisible();
  await expect(path.getByRole('button', { name: /^Dome amp 1 · Loudspeaker 1 / }).first()).toBeVisible();
  await path.getByRole('button', { name: /^Loft console · Strip 2 / }).click();
  await expect(page.getByRole('heading', { name: 'Hydrophone near' })).toBeVisible();
  await expect(page).toHaveURL(/device=loft-console&sel=strips(:|%3A)2$/);

  const strips = page.getByRole('treegrid', { name: 'Strips and buses' });
  await strips.focus();
  await page.keyboard.press('Shift+ArrowDown');
  await page.keyboard.press('Enter');
  await page.keyboard.type('mic in 1');
  await expect(page.getByText(/Patch Strip 2, 3 from/)).toBeVisible();
  await expect(page.getByText('Adds 1 caution.')).toBeVisible();
  await page.keyboard.press('Enter');
  await expect(strips.getByRole('row', { name: /^02 Loft talkback differs ← Mic in 1/ })).toBeVisible();
  await expect(strips).toBeFocused();
  await page.keyboard.press('ControlOrMeta+z');
  await expect(strips.getByRole('row', { name: /^02 Hydrophone near ← Network in 2/ })).toBeVisible();
  // Left and right lead from column to column, to what is joined.
  await page.keyboard.press('ArrowLeft');
  await expect(page.getByRole('heading', { name: 'Hydrophone far' })).toBeVisible();
});

test('what a device has otherwise is seen in its row, sent from the keyboard, and imported the other way', async ({
  page,
  stack,
}) => {
  await page.goto(patch(stack, '?device=loft-console'));
  const reckoning = page.getByRole('complementary', { name: 'Reckoning' });
  const strips = page.getByRole('treegrid', { name: 'Strips and buses' });
  await expect(reckoning).toContainText('Strip 24: Mic in 8 in the field, planned Network in 24');
  await reckoning.getByRole('button', { name: 'Strip 24' }).click();
  await expect(strips.getByRole('row', { name: /^24 Hall line 8 differs/ })).toBeVisible();
  await page.getByRole('button', { name: 'More …' }).click();
  await page.getByRole('menuitem', { name: 'Send the patch …' }).click();
  const dialog = page.getByRole('dialog');
  await expect(dialog).toContainText('Loft console changes 1 channel');
  // Nothing is sent by an Enter that was meant for the dialog before.
  await expect(dialog.getByRole('button', { name: 'Cancel' })).toBeFocused();
  expect(await faults(page)).toEqual([]);
  await page.keyboard.press('Tab');
  await page.keyboard.press('Enter');
  await expect(dialog).toContainText('1 done');
  await page.keyboard.press('Enter');
  await expect(strips.getByText('differs')).toHaveCount(0);
  // Somebody patches the console by hand: the plan takes it over.
  await stack.panel('loft-console', 'patch', {
    ...{ terminalId: 'madi-out', channel: 2 },
    from: { terminalId: 'buses', channel: 9 },
  });
  await expect(page).toHaveURL(/sel=strips:24/);
  await show(page, patch(stack, '?device=loft-console'));
  await reckoning.getByRole('button', { name: /^Import the patch of Loft console from the field: 1 channel/ }).click();
  await page.getByRole('button', { name: 'Apply' }).click();
  await expect(reckoning).toContainText('Patched as planned.');
  const outputs = page.getByRole('treegrid', { name: 'Out' });
  await expect(outputs.getByRole('row', { name: /^02 .*← Bus 9/ }).first()).toBeVisible();
});

test('the work list is ticked off by keyboard, opens again when the plan changes, and is printed whole', async ({
  page,
  stack,
}) => {
  await page.goto(patch(stack, '?device=loft-console'));
  await page.getByRole('tab', { name: 'Work list' }).click();
  const list = page.getByRole('region', { name: 'Work list' });
  const entry = list.getByRole('checkbox', { name: /^Mic in 1 \(Loft talkback\): set gain \+30 dB, 48 V on/ });
  await expect(list.getByRole('checkbox', { name: /^Monitor 1: from Bus 73/ })).toBeVisible();
  // What the console is told over the network is not to be done by hand.
  await expect(list.getByRole('checkbox', { name: /^Line out \d+: from/ })).toHaveCount(0);
  await list.getByRole('checkbox').first().focus();
  const isThere = () => entry.evaluate((e) => e === document.activeElement);
  for (let n = 0; n < 40 && !(await isThere()); n += 1) await page.keyboard.press('ArrowDown');
  await expect(entry).toBeFocused();
  await page.keyboard.press('Space');
  await expect(entry).toBeChecked();
  await expect(page.getByText(/^1 of \d+ done$/)).toBeVisible();
  expect(await faults(page)).toEqual([]);
  await page.evaluate(() => window.dispatchEvent(new Event('beforeprint')));
  await page.emulateMedia({ media: 'print' });
  await expect(page.getByRole('heading', { name: 'Loft console: work list', includeHidden: true })).toBeVisible();
  await expect(list).toBeHidden();
  await page.emulateMedia({ media: 'screen' });
  await page.evaluate(() => window.dispatchEvent(new Event('afterprint')));
  await show(page, patch(stack, '?device=loft-console&sel=mic-in:1'));
  await page.getByLabel(/^Gain/).fill('32');
  await page.keyboard.press('Enter');
  await page.getByRole('tab', { name: 'Work list' }).click();
  const changed = list.getByRole('checkbox', { name: /set gain \+32 dB, 48 V on .*changed since it was done/ });
  await expect(changed).not.toBeChecked();
});

test('the battery of a pack is seen at its strip, and found when it is low', async ({ page, stack }) => {
  await page.goto(patch(stack, '?device=loft-console&sel=strips:31'));
  const reckoning = page.getByRole('complementary', { name: 'Reckoning' });
  const strips = page.getByRole('treegrid', { name: 'Strips and buses' });
  await expect(strips.getByRole('row', { name: /^31 Presenter 7 battery 14 %/ })).toBeVisible();
  await expect(reckoning).toContainText('Wave wireless 2, Radio 3 (Presenter 7)');
  await expect(reckoning).toContainText('−61 dBm');
  expect(await faults(page)).toEqual([]);
  await stack.panel('wave-wireless-1', 'battery', { channel: 2, percent: 9 });
  await show(page, patch(stack, '?device=wave-wireless-1'));
  await expect(reckoning.getByRole('link', { name: /Radio 2 \(Presenter 2\): battery at 9 %/ })).toBeVisible();
});

test('both planted faults are found and mended from their list', async ({ page, stack }) => {
  await page.goto(patch(stack, '?device=tank-reverb'));
  const reckoning = page.getByRole('complementary', { name: 'Reckoning' });
  await reckoning.getByRole('link', { name: /\+4 dBu into an input for −7\.8 dBu: 11\.8 dB too loud/ }).click();
  await expect(page.getByRole('heading', { name: 'Wave machine cue' })).toBeVisible();
  await reckoning.getByRole('button', { name: /Put an attenuator of 12 dB/ }).click();
  await page.getByRole('button', { name: 'Apply' }).click();
  await expect(reckoning.getByText('attenuator −12 dB')).toBeVisible();
  await show(page, patch(stack, '?device=loft-console'));
  await reckoning.getByRole('button', { name: /Turn off the send from Strip 57/ }).click();
  await page.getByRole('button', { name: 'Apply' }).click();
  await expect(reckoning.getByText('No findings.')).toBeVisible();
});

test('the device patch is free of accessibility faults, in both themes, and its sources can be changed', async ({
  page,
  stack,
}) => {
  await page.goto(patch(stack, '?device=wave-stage-box&sel=mic-in:4'));
  await expect(page.getByRole('list', { name: 'Signal path' }).getByRole('button').first()).toBeVisible();
  expect(await faults(page)).toEqual([]);
  await page.getByRole('button', { name: 'Change …' }).click();
  await page.getByLabel('Longest length, m').fill('15');
  expect(await faults(page)).toEqual([]);
  await page.getByRole('button', { name: 'Save' }).click();
  await expect(page.getByText('18 m of cable; the limit is 15 m').first()).toBeVisible();
  await page.emulateMedia({ colorScheme: 'dark' });
  await show(page, patch(stack, '?device=loft-console&sel=buses:57'));
  await page.getByRole('treegrid', { name: 'Strips and buses' }).focus();
  await page.keyboard.press('Enter');
  await page.keyboard.type('strip 3');
  await expect(page.getByRole('region', { name: 'Patch' })).toBeVisible();
  expect(await faults(page)).toEqual([]);
});
