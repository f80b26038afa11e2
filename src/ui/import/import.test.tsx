import { writePatchList } from '@/core/formats/patch-list';
import { planOfFile } from '@/core/formats/plan-file';
import { feed } from '@/core/plan/test-plan';
import { skerryPoint } from '@/demo/skerry-point';
import { PreviewBar } from '@/ui/frame/preview-bar';
import { visited } from '../test-page/next-navigation';
import { act, inTestPages, screen, showInPlan, waitFor, within, type TestPage } from '../test-page/test-page';
import { askToImport, leaveImport } from './asked';
import { ImportHost } from './import-host';

inTestPages();
afterEach(() => act(() => leaveImport()));

const show = () =>
  showInPlan(
    'demo',
    <>
      <ImportHost />
      <PreviewBar />
    </>,
  );
const file = (name: string, text: string, type = 'text/csv') => new File([text], name, { type });
const dialog = () => within(screen.getByRole('dialog'));
const apply = async (page: TestPage) => {
  await page.user.click(await screen.findByRole('button', { name: /^Apply/ }));
  await waitFor(() => expect(screen.queryByRole('region', { name: 'Preview' })).toBeNull());
};

test('a patch list is held against the plan line by line; bad lines are named, the rest is applied', async () => {
  const page = await show();
  act(() => askToImport('patch-list'));
  const header = writePatchList(planOfFile(skerryPoint())).split(/\r?\n/)[0]!;
  const columns = header.split(',');
  const line = (values: Record<string, string>) => columns.map((c) => values[c] ?? '').join(',');
  const rows = [
    line({ receiver: 'Dome amp 6', channel: '1', sender: 'Loft console', 'sender channel': '3' }),
    line({ receiver: 'No such device', channel: '1', sender: 'Loft console', 'sender channel': '3' }),
    line({ receiver: 'Dome amp 6', channel: '99', sender: 'Loft console', 'sender channel': '3' }),
  ];
  await page.user.upload(dialog().getByLabelText('Patch list'), file('patch.csv', [header, ...rows].join('\n')));
  expect(await dialog().findByText('no device is called “No such device”')).toBeTruthy();
  expect(screen.getByRole('dialog').textContent).toMatch(/99/);
  await page.user.click(await dialog().findByRole('button', { name: /^Preview 1 change/ }));
  await apply(page);
  expect(page.saved().subscriptions.get('dome-amp-6')?.get(1)).toMatchObject({
    senderDeviceId: 'loft-console',
    senderChannel: 3,
  });
});

test('columns of any table are mapped by hand, and remembered for the next file of the same kind', async () => {
  const page = await show();
  act(() => askToImport('patch-list'));
  const table = (line: string) => file('other.csv', `Amp;Slot;Mixer;Bus\n${line}\n`);
  await page.user.upload(dialog().getByLabelText('Patch list'), table('Dome amp 6;1;Loft console;3'));
  expect(await dialog().findByText(/the column “receiver” is missing/)).toBeTruthy();
  for (const [label, words] of [
    ['receiver (needed)', 'Amp: Dome amp 6'],
    ['channel (needed)', 'Slot: 1'],
    ['sender', 'Mixer: Loft console'],
    ['sender channel', 'Bus: 3'],
  ] as const) {
    await page.user.selectOptions(dialog().getByLabelText(label), words);
  }
  await page.user.click(await dialog().findByRole('button', { name: /^Preview 1 change/ }));
  await apply(page);
  expect(page.saved().subscriptions.get('dome-amp-6')?.get(1)?.senderChannel).toBe(3);

  act(() => askToImport('patch-list'));
  await page.user.upload(dialog().getByLabelText('Patch list'), table('Dome amp 6;2;Loft console;4'));
  expect(await dialog().findByRole('button', { name: /^Preview 1 change/ })).toBeTruthy();
  expect(dialog().queryByText(/is missing/)).toBeNull();
});

test('another plan is merged kind by kind, or opened by itself; a bad file is refused with its place', async () => {
  const page = await show();
  act(() => askToImport('plan'));
  const input = dialog().getByLabelText('Plan to import from');
  await page.user.upload(input, file('bad.json', '{"format":"jade-lane-plan","version":1}', 'application/json'));
  expect(await dialog().findByText(/must have required property/)).toBeTruthy();

  const other = skerryPoint();
  const named = {
    ...other,
    devices: other.devices.map((d) => (d.id === 'lab-recorder' ? { ...d, name: 'Recorder, lab' } : d)),
  };
  await page.user.upload(input, file('other.json', JSON.stringify(named), 'application/json'));
  const take = await dialog().findByLabelText('Use devices of the file where they differ');
  await page.user.click(take);
  await page.user.click(await dialog().findByRole('button', { name: /^Preview 1 record/ }));
  await apply(page);
  expect(page.saved().devices.get('lab-recorder')?.name).toBe('Recorder, lab');

  act(() => askToImport('plan'));
  await page.user.upload(
    dialog().getByLabelText('Plan to import from'),
    file('o.json', JSON.stringify(named), 'application/json'),
  );
  await page.user.click(await dialog().findByRole('button', { name: 'Open as a separate plan' }));
  await waitFor(() => expect(visited.pop()).toMatch(/^\/plans\/.+\/lanes/));
});

test('nodes of a registry become devices; those that the plan has are said to be known', async () => {
  const page = await show();
  act(() => askToImport('nmos'));
  const node = (id: string, label: string, address: string) => ({
    ...{ id, label, description: '', version: '1:0', href: `http://${address}/`, hostname: label, caps: {}, tags: {} },
    ...{ api: { versions: ['v1.3'], endpoints: [{ host: address, port: 80, protocol: 'http' }] }, services: [] },
    ...{ clocks: [], interfaces: [] },
  });
  const known = planOfFile(skerryPoint()).interfaces.get('loft-console')!.get('A')!.address!;
  const nodes = [node('n-1', 'Guest desk', '10.71.36.201'), node('n-2', 'Console', known)];
  await page.user.upload(
    dialog().getByLabelText('NMOS resources'),
    file('nodes.json', JSON.stringify({ nodes }), 'application/json'),
  );
  expect(await dialog().findByText('Guest desk')).toBeTruthy();
  expect(screen.getByRole('dialog').textContent).toMatch(/Loft console/);
  await page.user.click(await dialog().findByRole('button', { name: /^Preview 1 new device/ }));
  await apply(page);
  expect([...page.saved().devices.values()].some((d) => d.name === 'Guest desk')).toBe(true);
});

test('a sender that only an SDP file describes becomes a device that is heard as it is', async () => {
  const page = await show();
  act(() => askToImport('sdp'));
  const sdp = [
    ...['v=0', 'o=- 7 7 IN IP4 10.71.36.230', 's=Visiting desk', 't=0 0', 'm=audio 5004 RTP/AVP 97'],
    ...['c=IN IP4 239.71.36.9/32', 'a=rtpmap:97 L24/48000/8', 'a=ptime:1', 'a=mediaclk:direct=0'],
    'a=ts-refclk:ptp=IEEE1588-2008:00-1B-19-FF-FE-00-00-01:0',
  ].join('\r\n');
  await page.user.upload(dialog().getByLabelText('SDP files'), file('desk.sdp', `${sdp}\r\n`, 'application/sdp'));
  expect(await dialog().findByText(/239\.71\.36\.9/)).toBeTruthy();
  await page.user.click(await dialog().findByRole('button', { name: /^Preview 1 new sender/ }));
  await apply(page);
  const added = [...page.saved().devices.values()].find((d) => d.name.startsWith('Visiting desk'));
  expect(added?.isPatchForeign).toBe(true);
});

test('an import that others overtake asks which of the two stays', async () => {
  const page = await show();
  act(() => askToImport('patch-list'));
  const plan = planOfFile(skerryPoint());
  const changed = writePatchList(plan).replace(/^(Dome amp 1,1,[^,]*,)Dome renderer,1,[^,\n]*/m, '$1Loft console,1,');
  expect(changed).not.toBe(writePatchList(plan));
  await page.user.upload(dialog().getByLabelText('Patch list'), file('patch.csv', changed));
  await page.user.click(await dialog().findByRole('button', { name: /^Preview 1 change/ }));
  await screen.findByRole('button', { name: /^Apply/ });
  await page.another('feed from the player', feed('show-player', 1, 'dome-amp-1', 1));
  expect((await screen.findByRole('alert')).textContent).toMatch(/theirs Show player · .*yours Loft console/);
});
