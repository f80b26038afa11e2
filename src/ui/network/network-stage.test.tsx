import { interfacesOf } from '@/core/plan/plan';
import { PreviewBar } from '@/ui/frame/preview-bar';
import { inTestPages, replaceText, screen, showInPlan, waitFor, within, type TestPage } from '../test-page/test-page';
import { NetworkStage } from './network-stage';

inTestPages();

// Also while a dialog over it is still closing.
const panel = () => within(screen.getByRole('complementary', { name: 'Reckoning', hidden: true }));
const network = (query: string) =>
  showInPlan(
    'demo',
    <>
      <NetworkStage />
      <PreviewBar />
    </>,
    { query },
  );
const apply = async (page: TestPage) => page.user.click(await screen.findByRole('button', { name: /^Apply/ }));

describe('cables', () => {
  test('speed, length, cable and what is reserved are planned at the panel; nonsense is refused at its field', async () => {
    const page = await network('view=cables&sel=link:up-wave-edge-a');
    expect(
      await screen.findByText(/46\.351 Mb\/s of 50 Mb\/s free \(1 Gb\/s, 95 % reserved\): calculation/),
    ).toBeTruthy();
    const reserved = panel().getByLabelText(/^Reserved, %/);
    await replaceText(page, reserved, '120{Enter}');
    expect((await panel().findByRole('alert')).textContent).toMatch(/100/);
    await replaceText(page, reserved, '10{Enter}');
    await waitFor(() => expect(page.saved().links.get('up-wave-edge-a')?.setAsidePercent).toBe(10));
    await page.user.selectOptions(panel().getByLabelText('Speed'), '10 Gb/s');
    await waitFor(() => expect(page.saved().links.get('up-wave-edge-a')?.bitsPerSecond).toBe(1e10));
    await page.user.selectOptions(panel().getByLabelText('Duplex'), 'half');
    await waitFor(() => expect(page.saved().links.get('up-wave-edge-a')?.duplex).toBe('half'));
  });

  test('of several the settings are set together: what differs says so, and a change is looked at first', async () => {
    const page = await network('view=cables&find=exhibit');
    const grid = await screen.findByRole('grid');
    grid.focus();
    await page.user.keyboard('{ArrowDown}{Control>}a{/Control}');
    expect(await panel().findByText('14 cables selected')).toBeTruthy();
    const metres = panel().getByLabelText('Metres: several');
    await page.user.type(metres, '-3{Enter}');
    expect((await panel().findByRole('alert')).textContent).toMatch(/from 0 up/);
    await replaceText(page, metres, '25{Enter}');
    await apply(page);
    const lengths = () =>
      [...page.saved().links.values()].filter((l) => /^exhibit-/.test(l.from.deviceId)).map((l) => l.metres);
    await waitFor(() => expect(new Set(lengths())).toEqual(new Set([25])));
    expect(lengths()).toHaveLength(14);
    await page.user.selectOptions(panel().getByLabelText('Cable'), 'not stated');
    await apply(page);
    await waitFor(() =>
      expect([...page.saved().links.values()].filter((l) => l.cable === null).length).toBeGreaterThanOrEqual(14),
    );
  });

  test('are sorted by any column and filtered; the address has what is selected', async () => {
    const page = await network('view=cables');
    const grid = screen.getByRole('grid');
    const firstRow = () => within(grid).getAllByRole('row')[1]!.textContent ?? '';
    expect(firstRow()).toMatch(/^Wave edge A Uplink 1/);
    await page.user.type(screen.getByRole('searchbox'), 'intercom 3');
    await waitFor(() => expect(within(grid).getAllByRole('row').length).toBeLessThan(5));
    expect(firstRow()).toMatch(/Intercom/);
    await page.user.click(within(grid).getAllByRole('row')[1]!);
    await waitFor(() => expect(page.query().get('sel')).toMatch(/^link:/));
  });

  test('a new cable joins free ports, at the speed of the slower, and is removed again', async () => {
    const page = await network('view=cables');
    await page.user.keyboard('n');
    const dialog = within(await screen.findByRole('dialog', { name: 'A new cable' }));
    await page.user.selectOptions(dialog.getByLabelText('From'), 'Loft edge A');
    await page.user.selectOptions(dialog.getByLabelText('Into'), 'Pier edge A');
    await replaceText(page, dialog.getByLabelText(/^Metres/), 'far');
    expect(dialog.getByText('A length from 0 to 100 000.')).toBeTruthy();
    await replaceText(page, dialog.getByLabelText(/^Metres/), '40');
    const before = page.saved().links.size;
    const buttons = dialog.getAllByRole('button');
    await page.user.click(buttons[buttons.length - 1]!);
    await waitFor(() => expect(page.saved().links.size).toBe(before + 1));
    const added = [...page.saved().links.values()].find(
      (l) => l.metres === 40 && l.from.deviceId === 'loft-edge-a' && l.to.deviceId === 'pier-edge-a',
    );
    expect(added?.bitsPerSecond).toBeGreaterThan(0);
  });
});

describe('subnets', () => {
  test('names from a spreadsheet go onto the selected subnet and those below it', async () => {
    const page = await network('view=subnets');
    await page.user.click(within(screen.getByRole('grid')).getByRole('row', { name: /^Leg A north/ }));
    await page.user.paste('North A\nSouth A');
    await waitFor(() =>
      expect([...page.saved().subnets.values()].map((s) => s.name)).toEqual(
        expect.arrayContaining(['North A', 'South A']),
      ),
    );
  });

  test('a new one says how many hosts it has and whom it overlaps, before it is made', async () => {
    const page = await network('view=subnets');
    await page.user.keyboard('n');
    const dialog = within(await screen.findByRole('dialog', { name: 'Add a subnet' }));
    await page.user.type(dialog.getByLabelText('Name'), 'Annex');
    await replaceText(page, dialog.getByLabelText(/^Block/), '10.99.0.300/24');
    await page.user.type(dialog.getByLabelText(/^VLAN/), '5000');
    await page.user.keyboard('{Enter}');
    expect(dialog.getAllByRole('alert').length).toBe(2);
    await replaceText(page, dialog.getByLabelText(/^Block/), '10.99.0.0/26');
    await replaceText(page, dialog.getByLabelText(/^VLAN/), '99');
    expect(await dialog.findByText(/^62 hosts, 10\.99\.0\.1 to 10\.99\.0\.62/)).toBeTruthy();
    await page.user.keyboard('{Enter}');
    await waitFor(() =>
      expect([...page.saved().subnets.values()].some((s) => s.cidr === '10.99.0.0/26' && s.vlan === 99)).toBe(true),
    );
  });

  test('gateway, DHCP range and querier are checked against the block', async () => {
    const page = await network('view=subnets&sel=subnet:a-north');
    await replaceText(page, panel().getByLabelText(/^Gateway/), '10.1.1.1{Enter}');
    expect((await panel().findByRole('alert')).textContent).toMatch(/10\.71\.36\.0/);
    await replaceText(page, panel().getByLabelText(/^Gateway/), '10.71.36.1{Enter}');
    await replaceText(page, panel().getByLabelText(/^DHCP range/), '10.71.36.200 – 10.71.36.239{Enter}');
    await waitFor(() =>
      expect(page.saved().subnets.get('a-north')?.dhcp).toEqual({ first: '10.71.36.200', last: '10.71.36.239' }),
    );
  });

  test('is made smaller only after a look at who falls out', async () => {
    const page = await network('view=subnets&sel=subnet:a-pier');
    await page.user.click(panel().getByRole('button', { name: 'Resize or split …' }));
    const dialog = within(await screen.findByRole('dialog'));
    const block = dialog.getByLabelText(/^Block/);
    await replaceText(page, block, 'half');
    expect(dialog.getByText('An IPv4 block, such as 10.71.36.0/23.')).toBeTruthy();
    await replaceText(page, block, '10.71.68.0/24');
    expect(await dialog.findByText('No device is left outside.')).toBeTruthy();
    const buttons = dialog.getAllByRole('button');
    await page.user.click(buttons[buttons.length - 1]!);
    await apply(page);
    await waitFor(() => expect(page.saved().subnets.get('a-pier')?.cidr).toBe('10.71.68.0/24'));
  });
});

describe('streams and the plan’s own settings', () => {
  test('a group by hand has to be one that can be given out', async () => {
    const page = await network('view=streams&sel=stream:loft-console%2F1');
    const legA = await panel().findByLabelText('Leg A, chosen');
    await replaceText(page, legA, '10.1.1.1{Enter}');
    expect(await panel().findByRole('alert')).toBeTruthy();
    await replaceText(page, legA, '239.71.200.7{Enter}');
    await waitFor(() =>
      expect(page.saved().groupChoices.get('loft-console')?.get(1)).toMatchObject({ groupA: '239.71.200.7' }),
    );
  });

  test('the ceiling, the time to live and how devices are found are the plan’s, each checked', async () => {
    const page = await network('view=cables');
    const ceiling = panel().getByLabelText('Load ceiling, %');
    await replaceText(page, ceiling, '0{Enter}');
    expect(await panel().findByRole('alert')).toBeTruthy();
    await replaceText(page, ceiling, '95{Enter}');
    await waitFor(() => expect(page.saved().settings.loadCeilingPercent).toBe(95));
    // The cable that was refused fits below the new ceiling.
    await waitFor(() => expect(panel().queryByText(/the ceiling is 70 %/)).toBeNull());
  });
});

test('addresses are given to the devices of a place in one go, after a look', async () => {
  const page = await network('view=cables');
  await page.user.click(screen.getByRole('button', { name: /Addresses/ }));
  const dialog = within(await screen.findByRole('dialog', { name: 'Addresses' }));
  await page.user.selectOptions(dialog.getByLabelText('Devices of'), 'Tide Gallery');
  await waitFor(() => expect(dialog.getByRole('table').textContent).toContain('Exhibit 12'));
  await page.user.click(dialog.getByRole('button', { name: /^Preview 1 address/ }));
  await apply(page);
  const address = (id: string) => interfacesOf(page.saved(), id).get('A')?.address;
  await waitFor(() => expect(address('exhibit-11')).not.toBe(address('exhibit-12')));
});
