import { readFileSync } from 'node:fs';
import { expect, faults, pick, show, test, type Stack } from './stack';

const slots = (stack: Stack) => stack.gear.replace(/gear$/, 'slots');

test('two talkers on one block are told and parted, and one undo brings them back', async ({ page, stack }) => {
  await page.goto(slots(stack));
  const chain = page.getByRole('region', { name: 'Quay chain' });
  await expect(chain.getByText('12 of 96 slots sending, 84 free')).toBeVisible();
  await expect(page.getByText('Yard stage unit and Gallery loop unit both talk on slots 5–8')).toBeVisible();
  await chain.getByRole('button', { name: /Slots 5–8: .* both talk/ }).click();
  await expect(page.getByRole('heading', { name: 'Gallery loop unit' })).toBeVisible();
  await expect(page.getByRole('img', { name: 'Talks 1: DIP switches at 0, 0, 0, 0, 0, 0, 1, 0' })).toBeVisible();

  await page.getByRole('button', { name: /Use block 4.* for Gallery loop unit/ }).click();
  await page.getByRole('button', { name: 'Apply' }).click();
  await expect(page.getByRole('img', { name: 'Talks 1: DIP switches at 0, 0, 0, 0, 0, 1, 0, 0' })).toBeVisible();
  await expect(page.getByRole('heading', { name: 'Findings' })).toBeHidden();
  await expect(chain.getByText('16 of 96 slots sending, 80 free')).toBeVisible();
  await page.getByRole('button', { name: /^Undo/ }).click();
  await expect(chain.getByRole('button', { name: /Slots 5–8: .* both talk/ })).toBeVisible();
});

test('a ring is built: units in one go, blocks chosen, a listener too high told, the fitting sheet saved', async ({
  page,
  stack,
}) => {
  await page.goto(slots(stack));
  await page.getByRole('button', { name: 'Add a bus' }).click();
  const bus = page.getByRole('region', { name: 'Bus 2' });
  await bus.getByLabel('Shape of Bus 2').selectOption('ring');
  await bus.getByRole('button', { name: 'New units …' }).click();
  await pick(page.getByRole('dialog'), 'Model', 'Slot unit 4 × 4');
  await page.getByLabel('How many').fill('3');
  await page.getByLabel(/^Name; several/).fill('Ring unit 1');
  await page.keyboard.press('Enter');
  await expect(bus.getByRole('row', { name: /Ring unit 3/ })).toBeVisible();

  await bus.getByRole('button', { name: 'More …' }).click();
  await page.getByRole('menuitem', { name: 'Choose free blocks' }).click();
  await page.getByRole('button', { name: 'Apply' }).click();
  await expect(bus.getByText('12 of 96 slots sending')).toBeVisible();
  await bus
    .getByRole('combobox', { name: 'Ring unit 2 listens to' })
    .selectOption({ label: '1 · slots 1–4, Ring unit 1' });
  await bus.getByRole('combobox', { name: 'Ring unit 3 listens to' }).selectOption('20');
  await bus
    .getByRole('row', { name: /Ring unit 3/ })
    .getByRole('button')
    .click();
  await expect(
    page.getByText(/Ring unit 3 listens to slots 77–80 of Bus 2; its model listens no higher than slot 64/),
  ).toBeVisible();

  const saved = page.waitForEvent('download');
  await bus.getByRole('button', { name: 'More …' }).click();
  await page.getByRole('menuitem', { name: 'Export the installation sheet' }).click();
  const lines = readFileSync(await (await saved).path(), 'utf8').split(/\r?\n/);
  expect(lines[0]).toBe('number,unit,place,selectors,set to,block,slots,channels');
  expect(lines).toContainEqual(expect.stringMatching(/^2,Ring unit 2,.*,hears,0 0 0 0 0 0 0 1,1,1-4,/));
});

test('slot buses are free of accessibility faults', async ({ page, stack }) => {
  await page.goto(`${slots(stack)}?sel=gallery-loop-unit`);
  await expect(page.getByRole('img', { name: 'Talks 1: DIP switches at 0, 0, 0, 0, 0, 0, 1, 0' })).toBeVisible();
  expect(await faults(page)).toEqual([]);
  await show(page, page.url().replace('gallery-loop-unit', 'yard-stage-unit'));
  await expect(page.getByRole('heading', { name: 'Yard stage unit' })).toBeVisible();
  expect(await faults(page)).toEqual([]);
});
