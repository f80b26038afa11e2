import { PreviewBar } from '@/ui/frame/preview-bar';
import { ImportHost } from '@/ui/import/import-host';
import { inTestPages, replaceText, screen, showInPlan, waitFor, within } from '../test-page/test-page';
import { PatchStage } from './patch-stage';

inTestPages();

const show = (query: string, of: 'demo' | 'empty' = 'demo') =>
  showInPlan(
    of,
    <>
      <PatchStage />
      <PreviewBar />
      <ImportHost />
    </>,
    { query },
  );
// Also while a dialog over it is still closing.
const panel = () => within(screen.getByRole('complementary', { name: 'Reckoning', hidden: true }));
const console = 'loft-console';

test('strips are patched by keyboard: a run, Enter, a few letters; the consequences are seen first', async () => {
  const page = await show(`device=${console}`);
  const strips = await screen.findByRole('treegrid', { name: 'Strips and buses' });
  await within(strips).findByText('Tide bell');
  strips.focus();
  await page.user.keyboard('{Home}{ArrowDown}{Shift>}{ArrowDown}{ArrowDown}{/Shift}{Enter}');
  const bar = await screen.findByRole('region', { name: 'Patch' });
  await page.user.keyboard('mic in 1');
  expect(await screen.findByText('Adds 1 caution.')).toBeTruthy();
  expect(page.saved().patches.get(console)?.has('strips/1')).toBe(false);
  await page.user.click(within(bar).getByLabelText('Reversed'));
  await waitFor(() => expect(within(strips).getAllByText('← Mic in 3').length).toBeGreaterThan(0));
  await page.user.click(within(bar).getByRole('button', { name: /^Apply/ }));
  await waitFor(() =>
    expect(page.saved().patches.get(console)?.get('strips/1')?.from).toEqual({ terminalId: 'mic-in', channel: 3 }),
  );
  // Fed again by default: nothing is left of it.
  await page.user.click((await within(strips).findAllByText('Loft talkback'))[0]!);
  await page.user.click(await panel().findByRole('button', { name: 'Default' }));
  await waitFor(() => expect(page.saved().patches.get(console)?.has('strips/3')).toBe(false));
});

test('what is folded is unfolded with the keyboard, with the mouse, and by a link into it', async () => {
  const page = await show(`device=${console}&sel=madi-in:2`);
  const inputs = await screen.findByRole('treegrid', { name: 'In' });
  const rowsOfMadi = () =>
    within(inputs)
      .queryAllByRole('row')
      .filter((r) => r.dataset.row?.startsWith('madi-in:'));
  const heading = async () => (await within(inputs).findByRole('button', { name: /^MADI in/ })).closest('[role=row]')!;
  // Idle, so it would be folded, were it not linked.
  await waitFor(() => expect(rowsOfMadi().length).toBeGreaterThan(1));
  expect(inputs.getAttribute('aria-activedescendant')).toBe('patch-madi-in:2');
  inputs.focus();
  await page.user.keyboard('{ArrowUp}{ArrowUp}');
  expect(inputs.getAttribute('aria-activedescendant')).toBe('patch-#madi-in');
  expect(screen.queryByText(/selected$/)).toBeNull();
  await page.user.keyboard('{Enter}');
  await waitFor(() => expect(rowsOfMadi()).toHaveLength(0));
  expect((await heading()).getAttribute('aria-expanded')).toBe('false');
  await page.user.keyboard(' ');
  await waitFor(() => expect(rowsOfMadi().length).toBeGreaterThan(1));
  await page.user.click(await within(inputs).findByRole('button', { name: /^MADI in/ }));
  await waitFor(() => expect(rowsOfMadi()).toHaveLength(0));
  // The keyboard goes on where the mouse was: a run leaves headings out.
  expect(document.activeElement).toBe(inputs);
  await page.user.keyboard('{Control>}a{/Control}{Enter}{ArrowDown}{Shift>}{ArrowUp}{ArrowUp}{/Shift}');
  expect(await screen.findByText('3 channels selected')).toBeTruthy();
});

test('a socket is set and filled: gain within bounds, phantom, a source with its cable; unplugged it is free', async () => {
  const page = await show('device=wave-stage-box&sel=mic-in:13');
  expect(await panel().findByText('nothing plugged in')).toBeTruthy();
  const gain = panel().getByLabelText(/^Gain/);
  await replaceText(page, gain, '70{Enter}');
  expect((await panel().findByRole('alert')).textContent).toBe('From 0 to 60.');
  await replaceText(page, gain, '24{Enter}');
  await waitFor(() => expect(page.saved().channelSettings.get('wave-stage-box')?.get('mic-in/13')?.gainDb).toBe(24));
  await page.user.click(panel().getByRole('button', { name: 'Plug in …' }));
  const dialog = within(await screen.findByRole('dialog'));
  await page.user.type(dialog.getByLabelText('Name'), 'Gull');
  await page.user.selectOptions(dialog.getByLabelText('Power'), 'phantom');
  await page.user.type(dialog.getByLabelText('Highest level, dBu'), '-4');
  await page.user.type(dialog.getByLabelText(/^Position/), '1 2');
  await page.user.click(dialog.getByRole('button', { name: 'Plug in' }));
  expect(await dialog.findByText('Three numbers, such as 3.5 -2 1.2.')).toBeTruthy();
  await page.user.type(dialog.getByLabelText(/^Position/), ' 0.5');
  await page.user.click(dialog.getByRole('button', { name: 'Plug in' }));
  await waitFor(() =>
    expect(page.saved().pluggedIn.get('wave-stage-box')?.get('mic-in/13')).toMatchObject({
      name: 'Gull',
      powering: 'phantom',
      maxLevelDbu: -4,
      position: { x: 1, y: 2, z: 0.5 },
      plug: 'XLR',
      placeId: 'wave-hall',
    }),
  );
  // It wants phantom power, and has none: found, and mended from here.
  expect(await panel().findByText(/needs phantom power, and it is off/)).toBeTruthy();
  await page.user.click(panel().getByLabelText('Phantom 48 V'));
  await waitFor(() => expect(panel().queryByText(/needs phantom power, and it is off/)).toBeNull());
  await page.user.click(panel().getByRole('button', { name: 'Unplug' }));
  await waitFor(() => expect(page.saved().pluggedIn.get('wave-stage-box')?.has('mic-in/13')).toBe(false));
});

test('a signal is followed from the socket to the loudspeaker, the loop is marked, and cutting the send ends it', async () => {
  const page = await show(`device=${console}&sel=buses:57`);
  const path = await panel().findByRole('list', { name: 'Signal path' });
  const first = await panel().findByText(/^First that does not fit/);
  expect(first.textContent).toMatch(/, back where it was: a feedback loop$/);
  expect(path.textContent).toContain('Tank reverberation · Network in 1');
  await page.user.click(panel().getByRole('tab', { name: 'Where it comes from' }));
  await waitFor(() => expect(path.textContent).toContain('Wave stage box · Mic in 5'));
  await page.user.click(panel().getByRole('checkbox', { name: 'Send from Strip 57 is on' }));
  await waitFor(() => expect(page.saved().busSends.get(console)?.get('buses/57/strips/57')?.isOn).toBe(false));
  await waitFor(() => expect(panel().queryByText(/feeds itself/)).toBeNull());
});

test('a substitution starts, says who and why, and ends with one press', async () => {
  const page = await show(`device=${console}`);
  const list = within(await screen.findByRole('list', { name: 'Substitutions' }));
  const [welcome] = list.getAllByRole('button', { name: 'Start …' });
  await page.user.click(welcome!);
  // What it takes the place of is seen before it begins.
  expect((await screen.findByRole('region', { name: 'Preview' })).textContent).toContain(
    'Changes the patch of 1 channel',
  );
  expect(page.saved().substitutions.get('captains-welcome')?.since).toBeNull();
  await page.user.click(await screen.findByRole('button', { name: /^Apply/ }));
  await waitFor(() => expect(page.saved().substitutions.get('captains-welcome')?.since).not.toBeNull());
  expect(page.saved().patches.get(console)?.get('strips/25')?.from).toEqual({ terminalId: 'network-in', channel: 45 });
  expect(await list.findByText(/since .*, by Engineer/)).toBeTruthy();
  await page.user.click(list.getByRole('button', { name: 'End' }));
  await waitFor(() => expect(page.saved().substitutions.get('captains-welcome')?.since).toBeNull());
  expect(page.saved().patches.get(console)?.has('strips/25')).toBe(false);
});

test('an input list is held against the plan line by line before anything is taken', async () => {
  const page = await show('device=wave-stage-box');
  await screen.findByRole('treegrid', { name: 'In' });
  await page.user.click(screen.getByRole('button', { name: 'More …' }));
  await page.user.click(await screen.findByRole('menuitem', { name: 'Import or export the input list …' }));
  const dialog = within(await screen.findByRole('dialog'));
  const csv = 'device,terminal,channel,name,gain\nWave stage box,Mic in,14,Gull,20\nWave stage box,Mic in,99,Crab,20\n';
  await page.user.upload(dialog.getByLabelText('Input list'), new File([csv], 'inputs.csv', { type: 'text/csv' }));
  expect(await dialog.findByText(/1 to change, 0 as they are/)).toBeTruthy();
  expect(dialog.getByText('Mic in has no channel “99”; they are 1 to 24')).toBeTruthy();
  await page.user.click(dialog.getByRole('button', { name: /^Preview/ }));
  await page.user.click(await screen.findByRole('button', { name: /^Apply/ }));
  await waitFor(() => expect(page.saved().pluggedIn.get('wave-stage-box')?.get('mic-in/14')?.name).toBe('Gull'));
});

test('a MADI cable joins two links as a whole, and their channels go by one name on both sides', async () => {
  const page = await show(`device=${console}&sel=madi-out:1`);
  await page.user.click(await panel().findByRole('button', { name: 'Add a cable …' }));
  const dialog = within(await screen.findByRole('dialog'));
  const to = dialog.getByRole('combobox', { name: 'To' });
  await page.user.clear(to);
  await page.user.type(to, 'rack converter');
  await page.user.click(await screen.findByRole('option', { name: /Rack converter, MADI in/ }));
  expect(dialog.getByLabelText('Channels, up to 64')).toHaveProperty('value', '64');
  await page.user.click(dialog.getByRole('button', { name: 'Plug in' }));
  await waitFor(() => expect(page.saved().audioCables.size).toBe(5));
  const cable = [...page.saved().audioCables.values()].find((c) => c.from.deviceId === 'loft-console');
  expect(cable).toMatchObject({ channels: 64, kind: 'coax', name: 'Loft console to Rack converter', adapter: null });
  await page.user.click(await panel().findByRole('button', { name: 'Remove Loft console to Rack converter' }));
  await waitFor(() => expect(page.saved().audioCables.size).toBe(4));
});

test('a loudspeaker far away is delayed by metres of air, and sounds together with others', async () => {
  const page = await show('device=wave-amp-1&sel=speaker-out:2');
  const settings = () => page.saved().channelSettings.get('wave-amp-1')?.get('speaker-out/2');
  await page.user.selectOptions(await panel().findByLabelText('Set as'), 'm');
  await replaceText(page, panel().getByLabelText('Output delay, m'), '25{Enter}');
  // 25 m at 20 degrees: 72.84 ms.
  await waitFor(() => expect((settings()?.outputDelayNs ?? 0) / 1e6).toBeCloseTo(72.84, 2));
  await replaceText(page, panel().getByLabelText('Distance to listeners, m'), '25{Enter}');
  expect(await panel().findByText(/25 m of air at 20 °C: 72\.84/)).toBeTruthy();
  await page.user.type(panel().getByLabelText('Name of a new coherence group'), 'Array{Enter}');
  await waitFor(() => expect(page.saved().coherenceGroups.get('array')?.members).toHaveLength(1));
  await page.user.selectOptions(panel().getByLabelText('Sounds together with'), 'Dome ring');
  await waitFor(() => expect(page.saved().coherenceGroups.get('dome-ring')?.members).toHaveLength(33));
  expect(page.saved().coherenceGroups.get('array')?.members).toEqual([]);
});

test('a plan without devices says what the stage is for', async () => {
  await show('', 'empty');
  expect(await screen.findByRole('link', { name: 'Add the first devices' })).toBeTruthy();
});

test('a feed with few places: sources folded until they fit, one moved by hand, what is lost is said, and it is put', async () => {
  const page = await show(`device=${console}`);
  await within(await screen.findByRole('treegrid', { name: 'Strips and buses' })).findByText('Tide bell');
  await page.user.click(screen.getByRole('button', { name: 'More …' }));
  await page.user.click(await screen.findByRole('menuitem', { name: 'Submix …' }));
  const dialog = within(await screen.findByRole('dialog'));
  expect(dialog.getByText(/^Which device is the submix for\?/)).toBeTruthy();
  await page.user.type(dialog.getByRole('combobox', { name: 'Feed' }), 'Picture embedder{Enter}');
  await replaceText(page, dialog.getByRole('textbox', { name: 'Places' }), '3');
  // The buses that it hears today are seen as what they fold.
  const places = dialog.getByRole('list', { name: 'Places' });
  await waitFor(() => expect(within(places).getAllByRole('listitem')).toHaveLength(3));
  await page.user.click(dialog.getByRole('button', { name: /^Group by name/ }));
  expect((await dialog.findByRole('status')).textContent).toMatch(/grouped into \d+ buse?s?, none left out/);
  await page.user.selectOptions(dialog.getByRole('combobox', { name: 'Place of Presenter desk' }), 'left out');
  await page.user.selectOptions(dialog.getByRole('combobox', { name: 'Place of Tide bell' }), 'place 1');
  await page.user.selectOptions(dialog.getByRole('combobox', { name: 'Place of Hydrophone near' }), 'place 1');
  expect(within(places).getByText(/Tide bell \+ Hydrophone near/)).toBeTruthy();
  expect(dialog.getByRole('status').textContent).toMatch(
    /^56 sources: 0 alone, 55 grouped into 2 buses, 1 left out \(Presenter desk\)/,
  );
  await page.user.click(dialog.getByRole('button', { name: 'Preview' }));
  await page.user.click(await screen.findByRole('button', { name: /^Apply/ }));
  await waitFor(() => {
    const lane = page.saved().subscriptions.get('picture-embedder')!.get(1)!;
    const sends = [...page.saved().busSends.get(console)!.values()].filter((s) => s.channel === lane.senderChannel);
    expect(sends.map((s) => s.fromChannel).sort()).toEqual([1, 2]);
  });
});

test('the work list: an entry is ticked off and opened again, open ones alone are shown, of all devices on one list', async () => {
  const page = await show(`device=${console}&view=work`);
  const list = await screen.findByRole('region', { name: 'Work list' });
  const entry = () => within(list).getByRole('checkbox', { name: /^Monitor 1: from Bus 73/ }) as HTMLInputElement;
  await page.user.click(entry());
  await waitFor(() => expect(page.saved().ticks.get(console)?.get('patch/monitor/1')?.by).toMatch(/^Engineer/));
  await waitFor(() => expect(entry().checked).toBe(true));
  await page.user.click(screen.getByLabelText('open only'));
  await waitFor(() => expect(within(list).queryByRole('checkbox', { name: /^Monitor 1/ })).toBeNull());
  await page.user.click(screen.getByLabelText('open only'));
  await page.user.click(entry());
  await waitFor(() => expect(page.saved().ticks.get(console)?.size ?? 0).toBe(0));
  await page.user.click(screen.getByLabelText('all devices'));
  expect(await within(list).findByRole('heading', { name: /^Wave stage box/ })).toBeTruthy();
  // Without a device that tells of its patch all of it is by hand.
  expect(within(list).getAllByRole('checkbox').length).toBeGreaterThan(100);
});

test('side traffic is planned at a link that carries it, is said to end where nothing leads on, and goes with one press', async () => {
  const page = await show(`device=${console}&sel=madi-out:1`);
  await page.user.click(await panel().findByRole('button', { name: 'Add side traffic …' }));
  const dialog = within(await screen.findByRole('dialog'));
  await page.user.type(dialog.getByLabelText('Name'), 'Preamplifier remote');
  await page.user.selectOptions(dialog.getByLabelText('Kind'), 'serial');
  const target = dialog.getByRole('combobox', { name: 'Destination' });
  await page.user.type(target, 'yard converter, madi in{Enter}');
  await page.user.click(dialog.getByRole('button', { name: 'Add' }));
  await waitFor(() =>
    expect([...page.saved().sideTraffic.values()]).toMatchObject([
      { kind: 'serial', from: { deviceId: console, terminalId: 'madi-out' }, to: { terminalId: 'madi-in' } },
    ]),
  );
  expect(await panel().findByText('no audio path')).toBeTruthy();
  const { deviceId } = [...page.saved().sideTraffic.values()][0]!.to;
  const cable = {
    ...({
      id: 'm',
      name: 'M',
      channels: 32,
      format: 'MADI',
      kind: 'coax',
      grade: null,
      metres: null,
      fromPlug: null,
    } as const),
    from: { deviceId: console, terminalId: 'madi-out', channel: 1 },
    to: { deviceId, terminalId: 'madi-in', channel: 1 },
    ...{ toPlug: null, adapter: null, attenuationDb: null },
  };
  await page.another('lay a cable', { kind: 'put-audio-cable', cable });
  expect(await panel().findByText('arrives')).toBeTruthy();
  await page.user.click(panel().getByRole('button', { name: 'Remove Preamplifier remote' }));
  await waitFor(() => expect(page.saved().sideTraffic.size).toBe(0));
});
