import { interfacesOf, labelOf } from '@/core/plan/plan';
import { PreviewBar } from '@/ui/frame/preview-bar';
import { undo } from '@/ui/session/actions';
import { act, inTestPages, screen, showInPlan, waitFor, within } from '../test-page/test-page';
import { GearStage } from './gear-stage';

inTestPages();

const grid = () => screen.getByRole('grid', { name: 'Devices' });
const row = (name: string) => within(grid()).getByRole('row', { name: new RegExp(`^${name}`) });
const panel = () => screen.getByRole('complementary', { name: 'Reckoning' });
/** Chooses from a searchable list by a few letters. */
const pick = async (page: Awaited<ReturnType<typeof showInPlan>>, field: HTMLElement, letters: string) => {
  await page.user.click(field);
  await page.user.clear(field);
  await page.user.type(field, `${letters}{Enter}`);
};
/** The cable of a device in the saved plan; empty: it has none. */
const cableOf = (page: Awaited<ReturnType<typeof showInPlan>>, deviceId: string) =>
  [...page.saved().links.values()].find((l) => l.from.deviceId === deviceId || l.to.deviceId === deviceId)?.id ?? '';
const gear = (query = '') => showInPlan('demo', <GearStage />, { query });

describe('the sheet of devices', () => {
  test('is filtered by words and numbers, and says when nothing passes', async () => {
    const page = await gear();
    const filter = screen.getByRole('searchbox', { name: 'Filter devices' });
    await page.user.type(filter, 'dome amp 1');
    await waitFor(() => expect(within(grid()).getAllByRole('row').length).toBe(2));
    await page.user.clear(filter);
    await page.user.type(filter, 'no such thing');
    expect(await screen.findByText('No device passes this filter.')).toBeTruthy();
    expect(page.query().get('find')).toBe('no such thing');
  });

  test('devices are removed once it is seen which lanes end with them, and come back with these', async () => {
    const page = await showInPlan(
      'demo',
      <>
        <GearStage />
        <PreviewBar />
      </>,
      { query: 'find=intercom' },
    );
    await page.user.click(row('Intercom 1'));
    await page.user.keyboard('{Shift>}');
    await page.user.click(row('Intercom 3'));
    await page.user.keyboard('{/Shift}');
    expect(screen.getByText('3 selected')).toBeTruthy();
    await page.user.click(screen.getByRole('button', { name: /^Remove/ }));
    expect((await screen.findByRole('region', { name: 'Preview' })).textContent).toMatch(/Ends 6 lanes/);
    expect(page.saved().devices.has('intercom-2')).toBe(true);
    await page.user.click(screen.getByRole('button', { name: /^Apply/ }));
    await waitFor(() => expect(page.saved().devices.has('intercom-2')).toBe(false));
    await act(() => undo());
    await waitFor(() => expect(page.saved().devices.has('intercom-2')).toBe(true));
    expect(page.saved().subscriptions.get('intercom-2')?.size).toBe(1);
  });

  test('names from a spreadsheet go onto the selected rows, or a line says why not', async () => {
    const page = await gear('find=intercom');
    await page.user.click(row('Intercom 2'));
    await page.user.paste('Gate\nBridge\n');
    await waitFor(() => expect(page.saved().devices.get('intercom-3')?.name).toBe('Bridge'));
    expect(page.saved().devices.get('intercom-2')?.name).toBe('Gate');
    await page.user.paste('One\n\nThree');
    expect(await screen.findByText(/^Line 2: the name is empty/)).toBeTruthy();
    expect(page.saved().devices.get('intercom-2')?.name).toBe('Gate');
  });

  test('labels and short labels from a spreadsheet go onto a channel and those below it', async () => {
    const page = await gear('device=loft-console');
    await page.user.click(await screen.findByRole('textbox', { name: 'Label of channel 3' }));
    await page.user.paste('Tide\tTd\r\nBell\tBl\r\n');
    await waitFor(() => expect(labelOf(page.saved(), 'loft-console', 'receive', 4)).toBe('Bell'));
    expect(page.saved().labels.get('loft-console')?.get('receive/3')).toMatchObject({ label: 'Tide', short: 'Td' });
  });

  test('a device is copied with its settings and free addresses, numbered on', async () => {
    const page = await gear('sel=dome-amp-6');
    await page.user.click(screen.getByRole('button', { name: 'More …' }));
    await page.user.click(await screen.findByRole('menuitem', { name: 'Copy …' }));
    const dialog = await screen.findByRole('dialog');
    await page.user.clear(within(dialog).getByLabelText('How many copies'));
    await page.user.type(within(dialog).getByLabelText('How many copies'), '2');
    expect(dialog.textContent).toContain('Dome amp 7, Dome amp 8');
    await page.user.click(within(dialog).getByRole('button', { name: 'Copy' }));
    await waitFor(() => expect(page.saved().devices.has('dome-amp-8')).toBe(true));
    const address = (id: string) => interfacesOf(page.saved(), id).get('A')?.address;
    expect(new Set([address('dome-amp-6'), address('dome-amp-7'), address('dome-amp-8')]).size).toBe(3);
  });

  test('new devices: by model, place and subnet, as many as wanted, with what is wrong said at its field', async () => {
    const page = await gear();
    await page.user.keyboard('n');
    const dialog = await screen.findByRole('dialog', { name: 'Add devices' });
    const field = (name: RegExp | string) => within(dialog).getByLabelText(name);
    await pick(page, field('Model'), 'ampl');
    await page.user.clear(field(/^How many/));
    await page.user.type(field(/^How many/), '900');
    await page.user.tab();
    expect((field(/^How many/) as HTMLInputElement).value).toBe('200');
    await page.user.clear(field(/^Name;/));
    expect(within(dialog).getByText('A device needs a name.')).toBeTruthy();
    expect(within(dialog).getByRole<HTMLButtonElement>('button', { name: 'Add' }).disabled).toBe(true);
    await page.user.type(field(/^Name;/), 'Spare amp');
    await page.user.clear(field(/^How many/));
    await page.user.type(field(/^How many/), '3');
    await pick(page, field(/^Place/), 'Dome');
    expect(dialog.textContent).toMatch(/Spare amp 1 to Spare amp 3 · Leg A 10\.71\.36\.\d+ to 10\.71\.36\.\d+/);
    await page.user.click(within(dialog).getByRole('button', { name: 'Add 3' }));
    await waitFor(() => expect(page.saved().devices.has('spare-amp-3')).toBe(true));
    expect(['spare-amp-1', 'spare-amp-2', 'spare-amp-3'].map((id) => page.saved().devices.get(id)?.name)).toEqual([
      'Spare amp 1',
      'Spare amp 2',
      'Spare amp 3',
    ]);
    expect(page.saved().devices.get('spare-amp-1')?.placeId).toBe('dome');
  });

  test('in an empty plan place and subnets are made on the way, all in one step', async () => {
    const page = await showInPlan('empty', <GearStage />);
    await page.user.click(screen.getByRole('button', { name: /^Add the first devices/ }));
    const dialog = await screen.findByRole('dialog', { name: 'Add devices' });
    const field = (name: RegExp | string) => within(dialog).getByLabelText(name);
    await pick(page, field('Model'), 'console');
    await pick(page, field(/^Place/), 'Loft');
    await pick(page, field('Leg A in'), '10.1.0.0/24');
    await pick(page, field('Leg B in'), '10.2.0.0/24');
    expect(dialog.textContent).toContain('new: place Loft, subnet Leg A, subnet Leg B');
    await page.user.click(within(dialog).getByRole('button', { name: 'Add' }));
    await waitFor(() => expect(page.saved().devices.size).toBe(1));
    expect(page.saved().places.get('loft')?.name).toBe('Loft');
    expect([...page.saved().subnets.values()].map((s) => s.cidr)).toEqual(['10.1.0.0/24', '10.2.0.0/24']);
    expect(interfacesOf(page.saved(), 'console').get('B')?.address).toBe('10.2.0.10');
  });

  test('an empty plan says what the stage is for and offers the first step', async () => {
    const page = await showInPlan('empty', <GearStage />);
    expect(screen.getByRole('heading', { name: 'Gear: the boxes and their limits' })).toBeTruthy();
    await page.user.click(screen.getByRole('button', { name: /^Add the first devices/ }));
    expect(await screen.findByRole('dialog', { name: 'Add devices' })).toBeTruthy();
  });
});

describe('building by hand', () => {
  test('what is selected is cabled with one key, and what is left out is said with why', async () => {
    const page = await gear('sel=exhibit-12');
    await page.another('unplug', { kind: 'remove-link', linkId: cableOf(page, 'exhibit-12') });
    screen.getByRole('grid', { name: 'Devices' }).focus();
    await page.user.keyboard('{Shift>}{ArrowDown}{/Shift}c');
    const dialog = await screen.findByRole('dialog', { name: 'Cable 2 devices' });
    expect(dialog.textContent).toContain('Left out, plugged in already: Exhibit 13 Media.');
    await page.user.click(within(dialog).getByRole('button', { name: 'Plug in 1 cable' }));
    await waitFor(() => expect(cableOf(page, 'exhibit-12')).not.toBe(''));
    expect(page.saved().links.get(cableOf(page, 'exhibit-12'))?.to.deviceId).toBe('gallery-edge-a');
  });

  test('fill down gives the others what the first has, after a look', async () => {
    const page = await showInPlan(
      'demo',
      <>
        <GearStage />
        <PreviewBar />
      </>,
      { query: 'find=dome amp' },
    );
    await page.another('move', { kind: 'change-device', deviceId: 'dome-amp-1', change: { placeId: 'pier' } });
    await page.user.click(row('Dome amp 2'));
    await page.user.keyboard('{Control>}a{/Control}{Control>}d{/Control}');
    await page.user.click(await screen.findByRole('button', { name: /^Apply/ }));
    await waitFor(() =>
      expect(new Set([1, 2, 3, 4, 5].map((n) => page.saved().devices.get(`dome-amp-${n}`)?.placeId)).size).toBe(1),
    );
  });

  test('the next free address of a subnet is shown, and taken with a press', async () => {
    const page = await gear('sel=exhibit-12');
    await page.user.click(await within(panel()).findByRole('button', { name: /^Leg A: use 10\.71\.36\.\d+$/ }));
    await waitFor(() => expect(interfacesOf(page.saved(), 'exhibit-12').get('A')?.address).not.toBe('10.71.36.111'));
  });
});

describe('the panel of a device', () => {
  test('its place, rate, serial and who owns its patch are set in place, each one step', async () => {
    const page = await gear('sel=lab-recorder');
    await page.user.selectOptions(within(panel()).getByLabelText('Place'), 'Pier');
    await waitFor(() => expect(page.saved().devices.get('lab-recorder')?.placeId).toBe('pier'));
    await page.user.selectOptions(within(panel()).getByLabelText('Rate'), '48 kHz');
    await waitFor(() => expect(page.saved().devices.get('lab-recorder')?.rateHz).toBe(48_000));
    const serial = within(panel()).getByLabelText('Serial');
    await page.user.clear(serial);
    await page.user.type(serial, 'LR-77{Enter}');
    await waitFor(() => expect(page.saved().devices.get('lab-recorder')?.serial).toBe('LR-77'));
    await page.user.click(within(panel()).getByLabelText('Read-only patch (managed elsewhere)'));
    await waitFor(() => expect(page.saved().devices.get('lab-recorder')?.isPatchForeign).toBe(true));
  });

  test('an address that is none is refused at its field; a good one is taken', async () => {
    const page = await gear('sel=dome-amp-6');
    const legA = within(panel()).getByLabelText('Leg A');
    await page.user.clear(legA);
    await page.user.type(legA, '10.71.52{Enter}');
    expect((await within(panel()).findByRole('alert')).textContent).toBe('Not an IPv4 address.');
    await page.user.clear(legA);
    await page.user.type(legA, '10.71.52.99{Enter}');
    await waitFor(() => expect(interfacesOf(page.saved(), 'dome-amp-6').get('A')?.address).toBe('10.71.52.99'));
  });

  test('a name that lanes and labels carry asks what goes along', async () => {
    const page = await gear('sel=dome-renderer');
    const name = within(panel()).getByLabelText('Name');
    await page.user.clear(name);
    await page.user.type(name, 'Sky renderer{Enter}');
    const dialog = await screen.findByRole('dialog');
    expect(dialog.textContent).toMatch(/Sky renderer/);
    await page.user.click(within(dialog).getByRole('button', { name: /^Rename/ }));
    await waitFor(() => expect(page.saved().devices.get('dome-renderer')?.name).toBe('Sky renderer'));
  });

  test('says what is spent and left, and what is wrong with ways out', async () => {
    await gear('sel=exhibit-12');
    expect(panel().textContent).toContain('10.71.36.111 is the address of Exhibit 11 and Exhibit 12');
    expect(await within(panel()).findByRole('button', { name: /^Give Exhibit 12 the address/ })).toBeTruthy();
    expect(panel().textContent).toMatch(/Channels in2 of \d+, \d+ left/);
  });

  test('for all devices at once: how many, what is wrong with the gear', async () => {
    await gear();
    expect(panel().textContent).toContain('60 devices.');
  });
});

describe('several devices selected', () => {
  const several = async (find: string, first: string, last: string) => {
    const page = await showInPlan(
      'demo',
      <>
        <GearStage />
        <PreviewBar />
      </>,
      { query: `find=${find}` },
    );
    await page.user.click(row(first));
    await page.user.keyboard('{Shift>}');
    await page.user.click(row(last));
    await page.user.keyboard('{/Shift}');
    return page;
  };
  const value = (label: string | RegExp) =>
    (within(panel()).getByLabelText(label) as HTMLSelectElement).selectedOptions[0]?.textContent;

  test('what they have in common stands there, and one choice is one step for all', async () => {
    const page = await several('intercom', 'Intercom 1', 'Intercom 5');
    expect(panel().textContent).toMatch(/5 devices selected5 × Intercom/);
    expect(value('Place')).toBe('Pier');
    await page.user.selectOptions(within(panel()).getByLabelText('Place'), 'Dome');
    await waitFor(() => expect(page.saved().devices.get('intercom-5')?.placeId).toBe('dome'));
    expect(page.saved().devices.get('intercom-1')?.placeId).toBe('dome');
    await page.user.selectOptions(within(panel()).getByLabelText('Patch'), 'read-only');
    await waitFor(() => expect(page.saved().devices.get('intercom-3')?.isPatchForeign).toBe(true));
  });

  test('where they differ it says several; a rate for all is looked at first', async () => {
    const page = await several('recorder', 'Archive recorder', 'Lab recorder');
    expect(value('Rate')).toBe('several');
    expect(value('Place')).toBe('several');
    await page.user.selectOptions(within(panel()).getByLabelText('Rate'), '48 kHz');
    await page.user.click(await screen.findByRole('button', { name: /^Apply/ }));
    await waitFor(() => expect(page.saved().devices.get('lab-recorder')?.rateHz).toBe(48_000));
  });

  test('all move to another subnet with free addresses of it, and their clocks are set together', async () => {
    const page = await several('intercom', 'Intercom 1', 'Intercom 3');
    await page.user.selectOptions(
      within(panel()).getByLabelText(/^Subnet, leg A/i),
      within(panel()).getByRole('option', { name: /^Leg A south/ }),
    );
    await page.user.click(await screen.findByRole('button', { name: /^Apply/ }));
    const address = (id: string) => interfacesOf(page.saved(), id).get('A')?.address ?? '';
    await waitFor(() => expect(address('intercom-3')).toMatch(/^10\.71\.52\./));
    expect(new Set(['intercom-1', 'intercom-2', 'intercom-3'].map(address)).size).toBe(3);
    const priority = within(panel()).getByLabelText(/^Priority 2/);
    await page.user.clear(priority);
    await page.user.type(priority, '200{Enter}');
    await page.user.click(await screen.findByRole('button', { name: /^Apply/ }));
    await waitFor(() => expect(page.saved().clocks.get('intercom-2')?.priority2).toBe(200));
  });
});

describe('the channels of a device', () => {
  const label = (channel: number) => screen.getByLabelText(`Label of channel ${channel}`);

  test('are labelled in place; Enter goes on to the next', async () => {
    const page = await gear('device=dome-amp-6');
    await page.user.clear(label(1));
    await page.user.type(label(1), 'Apex{Enter}');
    await waitFor(() => expect(labelOf(page.saved(), 'dome-amp-6', 'receive', 1)).toBe('Apex'));
    expect(document.activeElement).toBe(label(2));
    // Escape leaves what was there.
    await page.user.type(label(2), ' changed{Escape}{Tab}');
    expect(labelOf(page.saved(), 'dome-amp-6', 'receive', 2)).toBeNull();
  });

  test('many at once, by a pattern or a list; what is too long is said before', async () => {
    const page = await gear('device=dome-amp-6');
    await page.user.click(screen.getByRole('button', { name: 'Label many …' }));
    const dialog = await screen.findByRole('dialog');
    const text = within(dialog).getByLabelText(/^One label a line/);
    await page.user.clear(within(dialog).getByLabelText('From channel'));
    await page.user.type(within(dialog).getByLabelText('From channel'), '3');
    await page.user.type(text, 'Ring #');
    await page.user.click(within(dialog).getByRole('button', { name: /^Label/ }));
    await waitFor(() => expect(labelOf(page.saved(), 'dome-amp-6', 'receive', 8)).toBe('Ring 6'));
    expect(labelOf(page.saved(), 'dome-amp-6', 'receive', 2)).toBeNull();
  });

  test('take the labels of their senders', async () => {
    const page = await gear('device=dome-amp-1');
    await page.user.click(screen.getByRole('button', { name: 'Labels from senders' }));
    await waitFor(() => expect(labelOf(page.saved(), 'dome-amp-1', 'receive', 1)).toBe('Dome speaker 1'));
  });
});
