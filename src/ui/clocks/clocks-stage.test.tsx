import { PreviewBar } from '@/ui/frame/preview-bar';
import { inTestPages, replaceText, screen, showInPlan, waitFor, within } from '../test-page/test-page';
import { ClocksStage } from './clocks-stage';

inTestPages();

// Also while a dialog over it is still closing.
const panel = () => within(screen.getByRole('complementary', { name: 'Reckoning', hidden: true }));
const clocks = (query: string) =>
  showInPlan(
    'demo',
    <>
      <ClocksStage />
      <PreviewBar />
    </>,
    { query },
  );

test('priorities are set at a clock, checked, and decide who is grandmaster', async () => {
  const page = await clocks('sel=device:south-master');
  const priority = await panel().findByLabelText(/^Priority 1/);
  await replaceText(page, priority, '300{Enter}');
  expect((await panel().findByRole('alert')).textContent).toMatch(/255/);
  await replaceText(page, panel().getByLabelText(/^Priority 1/), '1{Enter}');
  await waitFor(() => expect(page.saved().clocks.get('south-master')?.priority1).toBe(1));
  await waitFor(() =>
    expect(within(screen.getByRole('grid')).getByRole('row', { name: /^South master.*grandmaster/ })).toBeTruthy(),
  );
});

test('of several clocks the settings are set together, after a look, in one step', async () => {
  const page = await clocks('find=intercom');
  const grid = await screen.findByRole('grid');
  grid.focus();
  await page.user.keyboard('{ArrowDown}{Control>}a{/Control}');
  expect(await panel().findByText('5 clocks selected')).toBeTruthy();
  await replaceText(page, panel().getByLabelText(/^Priority 2/), '300{Enter}');
  expect((await panel().findByRole('alert')).textContent).toMatch(/255/);
  await replaceText(page, panel().getByLabelText(/^Priority 2/), '77{Enter}');
  await page.user.click(await screen.findByRole('button', { name: /^Apply/ }));
  await waitFor(() => expect(page.saved().clocks.get('intercom-5')?.priority2).toBe(77));
  expect(page.saved().clocks.get('intercom-1')?.priority2).toBe(77);
});

test('priorities from a spreadsheet are looked at first; one that cannot be is named by its line', async () => {
  const page = await clocks('find=intercom');
  await page.user.click(within(await screen.findByRole('grid')).getByRole('row', { name: /^Intercom 2/ }));
  await page.user.paste('31\t5\n32\t256');
  expect(await screen.findByText(/^Line 2: “256” is not a priority 2/)).toBeTruthy();
  await page.user.paste('31\t5\n32\t6');
  await page.user.click(await screen.findByRole('button', { name: /^Apply/ }));
  await waitFor(() => expect(page.saved().clocks.get('intercom-3')).toMatchObject({ priority1: 32, priority2: 6 }));
  expect(page.saved().clocks.get('intercom-2')).toMatchObject({ priority1: 31, priority2: 5 });
});

test('a clock that is lost in a drill is marked, and the drill says what follows and ends', async () => {
  const page = await clocks('lost=device:north-master');
  const drill = within(await screen.findByRole('region', { name: 'What if' }));
  expect(drill.getByText(/North master/)).toBeTruthy();
  await page.user.click(await drill.findByRole('button', { name: 'End the drill' }));
  await waitFor(() => expect(page.query().get('lost')).toBeNull());
});

test('another rate for a clock group shows what it would change before it is applied', async () => {
  const page = await clocks('view=rates&sel=group:house');
  await page.user.selectOptions(await panel().findByLabelText('Rate, kHz'), '96');
  await page.user.click(panel().getByRole('button', { name: 'Preview the change …' }));
  const affected = await screen.findByRole('region', { name: 'Affected' });
  expect(affected.textContent).toMatch(/186 lanes break, 2 mended\. 9 clocks change\./);
  // Like differences are one line.
  expect(affected.textContent).toMatch(/14 × Exhibit: streams in 2 → 0 of 2/);
  await page.user.keyboard('{Escape}');
  expect(page.saved().devices.get('loft-console')?.rateHz).toBe(48_000);
});

test('groups and references are added, named and removed', async () => {
  const page = await clocks('view=references');
  const before = page.saved().references.size;
  await page.user.click(screen.getByRole('button', { name: 'Add a reference' }));
  await waitFor(() => expect(page.saved().references.size).toBe(before + 1));
  const name = await panel().findByLabelText(/^Name/);
  await replaceText(page, name, 'House sync{Enter}');
  await waitFor(() => expect([...page.saved().references.values()].some((r) => r.name === 'House sync')).toBe(true));
  await page.user.selectOptions(panel().getByLabelText('Kind'), 'Black burst');
  await waitFor(() => expect([...page.saved().references.values()].some((r) => r.kind === 'black-burst')).toBe(true));
});

test('a clock plan is proposed with its reasons, and applied in one step', async () => {
  const page = await clocks('');
  await page.user.click(screen.getByRole('button', { name: /Propose/ }));
  const dialog = within(await screen.findByRole('dialog', { name: 'Propose a clock plan' }));
  expect(await dialog.findByText(/North master is grandmaster: it is locked to GNSS/)).toBeTruthy();
  const buttons = dialog.getAllByRole('button');
  await page.user.click(buttons[buttons.length - 1]!);
  expect(await screen.findByRole('region', { name: 'Preview' })).toBeTruthy();
  await page.user.click(screen.getByRole('button', { name: /^Apply/ }));
  await waitFor(() => expect(screen.queryByRole('region', { name: 'Preview' })).toBeNull());
});

test('rows are filtered by what they say', async () => {
  const page = await clocks('');
  const grid = screen.getByRole('grid');
  const all = within(grid).getAllByRole('row').length;
  await page.user.type(screen.getByRole('searchbox', { name: 'Filter rows' }), 'grandmaster');
  await waitFor(() => expect(within(grid).getAllByRole('row').length).toBeLessThan(all));
  expect(within(grid).getAllByRole('row')[1]!.textContent).toMatch(/North master/);
});
