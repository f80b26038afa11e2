import { readLibrary, saveToLibrary } from '@/server/library';
import { modelNamed } from '@/core/plan/test-plan';
import { skerryPoint } from '@/demo/skerry-point';
import { PreviewBar } from '@/ui/frame/preview-bar';
import { inTestPages, replaceText, screen, showInPlan, waitFor, within } from '../../test-page/test-page';
import { GearStage } from '../gear-stage';

inTestPages();

const workshop = (query = '') =>
  showInPlan(
    'demo',
    <>
      <GearStage />
      <PreviewBar />
    </>,
    { query: `models=1${query}` },
  );
const panel = () => screen.getByRole('complementary', { name: 'Reckoning' });
const grid = () => screen.findByRole('grid', { name: 'Models' });
const amp = skerryPoint().models.find((m) => m.id === 'amp-8')!;
const field = (label: string) => screen.getByLabelText(label, { exact: true });

describe('the models of a plan, the library and the catalogue', () => {
  test('are one list: what each can do, how many devices have it, where it is kept, found by kind or name', async () => {
    const page = await workshop();
    expect(
      within(await grid()).getByRole('row', { name: /^Amplifier 8 Amplifier 8 4 8 plan; catalogue/ }),
    ).toBeTruthy();
    await page.user.type(screen.getByRole('searchbox', { name: 'Filter models' }), 'switch');
    await waitFor(() => expect(within(screen.getByRole('grid')).queryByText('Amplifier 8')).toBeNull());
    expect(within(screen.getByRole('grid')).getByText('Office switch 8')).toBeTruthy();
  });

  test('a model of one’s own is begun from nothing: what nobody said is not known, and it is in the library at once', async () => {
    const page = await workshop();
    await page.user.click(await screen.findByRole('button', { name: 'New model …' }));
    const dialog = await screen.findByRole('dialog', { name: 'New model' });
    await page.user.type(within(dialog).getByLabelText(/^Name/), 'Harbour box 4');
    await page.user.selectOptions(within(dialog).getByLabelText('Kind'), 'Stage box');
    await page.user.click(within(dialog).getByRole('button', { name: 'Create' }));
    await screen.findByRole('region', { name: 'Figures' });
    expect((field('Streams received') as HTMLInputElement).placeholder).toBe('not known');
    expect(panel().textContent).toContain('Not known');
    expect(readLibrary()).toMatchObject([{ modelId: 'harbour-box-4', version: 1, note: 'from nothing' }]);
  });
});

describe('the figures of a model', () => {
  test('a change is previewed on every device that has it, and is one step once it is applied', async () => {
    const page = await workshop('&model=amp-8&edit=1');
    await screen.findByRole('region', { name: 'Figures' });
    await replaceText(page, field('Receiver channels'), '4');
    await page.user.tab();
    expect(await screen.findByText('1 figure changed')).toBeTruthy();
    expect(screen.getByText(/changed, was 8/)).toBeTruthy();
    await page.user.click(screen.getByRole('button', { name: 'Preview on 8 devices' }));
    const bar = await screen.findByRole('region', { name: 'Preview' });
    expect(bar.textContent).toMatch(/efuses \d+ lanes/);
    expect(page.saved().models.get('amp-8')?.channelsReceive).toBe(8);
    await page.user.click(within(bar).getByRole('button', { name: /^Apply/ }));
    await waitFor(() => expect(page.saved().models.get('amp-8')?.channelsReceive).toBe(4));
    expect(await screen.findByText('no changes')).toBeTruthy();
  });

  test('what cannot be is said at its field and not taken; what is not known is a value', async () => {
    const page = await workshop('&model=amp-8&edit=1');
    await screen.findByRole('region', { name: 'Figures' });
    await replaceText(page, field('Receiver channels'), '5000');
    expect(screen.getByRole('alert').textContent).toBe('From 0 to 4,096.');
    await page.user.keyboard('{Escape}');
    expect((field('Receiver channels') as HTMLInputElement).value).toBe('8');
    await page.user.click(screen.getByRole('button', { name: 'Streams received: not known' }));
    expect(screen.getByText('1 figure changed')).toBeTruthy();
    await page.user.click(screen.getByRole('button', { name: 'Discard changes' }));
    expect((field('Streams received') as HTMLInputElement).value).toBe('4');
  });

  test('Tab goes from one figure that is not known to the next, and each keeps what was typed', async () => {
    const page = await workshop('&model=amp-8&edit=1');
    await screen.findByRole('region', { name: 'Figures' });
    for (const name of ['Streams received', 'Channels per stream']) {
      await page.user.click(screen.getByRole('button', { name: `${name}: not known` }));
    }
    await page.user.click(field('Streams received'));
    await page.user.keyboard('3{Tab}5{Tab}');
    const values = ['Streams received', 'Streams sent', 'Channels per stream'].map(
      (name) => (field(name) as HTMLInputElement).value,
    );
    expect(values).toEqual(['3', '5', '']);
  });

  test('terminals: named as printed, figures in bounds, what they carry and take from, and a ring of normals is said where it is', async () => {
    const page = await workshop('&model=amp-8&edit=1');
    await screen.findByRole('region', { name: 'Figures' });
    await page.user.click(screen.getByRole('button', { name: 'Add a terminal' }));
    // Within its own lines: looking through every label of the page takes long.
    const linesOf = (name: string) => within(screen.getByText(name, { selector: 'summary span' }).closest('details')!);
    await page.user.click(await screen.findByText('Terminal 3', { selector: 'summary span' }));
    const own = linesOf('Terminal 3');
    await replaceText(page, own.getByLabelText('Name of Terminal 3'), 'Aux');
    const of = (what: string) => own.getByLabelText(`${what} of Aux`);
    const speaker = linesOf('Loudspeaker');
    await page.user.selectOptions(of('Kind'), 'link');
    await page.user.selectOptions(of('Direction'), 'out');
    await replaceText(page, of('Channels'), '64');
    const group = (legend: string) => within(own.getByText(legend, { selector: 'legend' }).closest('fieldset')!);
    await page.user.click(group('Can be set to').getByLabelText('MADI'));
    await page.user.click(group('Carries beside sound').getByLabelText('serial'));
    await page.user.click(group('Patched from').getByLabelText('Line in'));
    await replaceText(page, of('Block size'), '8');
    await page.user.selectOptions(of('Normal feed'), 'Network in');
    await replaceText(page, of('Delay'), 'soon');
    await page.user.tab();
    expect(screen.getByRole('alert').textContent).toBe('From 0 to 10,000.');
    await replaceText(page, of('Delay'), '1,5');
    await page.user.tab();
    expect(screen.queryByRole('alert')).toBeNull();
    await page.user.click(own.getByLabelText('has an analogue side'));
    await replaceText(page, of('Nominal level, dBu'), '-10');
    await page.user.tab();
    // Two that are normalled to each other would never be fed.
    await page.user.selectOptions(of('Direction'), 'inside');
    await page.user.click(screen.getByText('Loudspeaker', { selector: 'summary span' }));
    await page.user.selectOptions(speaker.getByLabelText('Normal feed of Loudspeaker'), 'Aux');
    await page.user.selectOptions(speaker.getByLabelText('Direction of Loudspeaker'), 'inside');
    await page.user.selectOptions(of('Normal feed'), 'Loudspeaker');
    expect(screen.getByRole('alert').textContent).toBe(
      'Loudspeaker, Normalled to: what it is normalled to is normalled to it again.',
    );
    await page.user.selectOptions(of('Normal feed'), 'Network in');
    await page.user.selectOptions(speaker.getByLabelText('Direction of Loudspeaker'), 'out');
    await page.user.click(screen.getByRole('button', { name: 'Preview on 8 devices' }));
    await page.user.click(await screen.findByRole('button', { name: /^Apply/ }));
    await waitFor(() =>
      expect(page.saved().models.get('amp-8')!.terminals.at(-1)).toMatchObject({
        ...{
          name: 'Aux',
          kind: 'link',
          direction: 'inside',
          channels: 64,
          formats: ['MADI'],
          carries: ['serial'],
        },
        ...{ patchFrom: ['line-in'], blockSize: 8, normalledTo: 'network-in', delayNs: 1_500_000 },
        level: { nominalDbu: -10 },
      }),
    );
  });

  test('what others change meanwhile stays: a draft keeps only what was set in it', async () => {
    const page = await workshop('&model=amp-8&edit=1');
    await screen.findByRole('region', { name: 'Figures' });
    await replaceText(page, field('Streams received'), '3');
    await page.user.tab();
    await page.another('rename the model', { kind: 'put-model', model: { ...amp, maker: 'Other Works' } });
    await page.user.click(screen.getByRole('button', { name: /^Preview on/ }));
    await page.user.click(await screen.findByRole('button', { name: /^Apply/ }));
    await waitFor(() =>
      expect(page.saved().models.get('amp-8')).toMatchObject({ streamsReceive: 3, maker: 'Other Works' }),
    );
  });

  test('ports and formats are lists: added like the last one and numbered on, removed one by one', async () => {
    const page = await workshop('&model=edge-switch-24&edit=1');
    await screen.findByRole('region', { name: 'Figures' });
    await replaceText(page, screen.getByLabelText('How many ports'), '2');
    await page.user.click(screen.getByRole('button', { name: 'Add ports' }));
    expect((screen.getByLabelText('Name of port 28') as HTMLInputElement).value).toBe('Uplink 4');
    await page.user.click(screen.getByRole('button', { name: 'Remove Uplink 3' }));
    expect((screen.getByLabelText('Name of port 27') as HTMLInputElement).value).toBe('Uplink 4');
    await page.user.click(screen.getByRole('button', { name: /^Preview on/ }));
    await page.user.click(await screen.findByRole('button', { name: /^Apply/ }));
    await waitFor(() => expect(page.saved().models.get('edge-switch-24')?.ports.at(-1)?.name).toBe('Uplink 4'));
  });
});

describe('the library beside the plan', () => {
  test('a plan is told what differs, figure by figure, and takes it over after a preview', async () => {
    const page = await workshop('&model=amp-8');
    saveToLibrary(
      { id: 'o', name: 'Other engineer' },
      [{ after: 0, model: { ...amp, streamsReceive: 2 } }],
      'measured',
    );
    await page.reopen(
      <>
        <GearStage />
        <PreviewBar />
      </>,
    );
    const table = await within(panel()).findByRole('table', { name: 'Differences' });
    expect(within(table).getByRole('row', { name: 'Streams received 4 2' })).toBeTruthy();
    expect(panel().textContent).toContain('Version 1, Other engineer');
    await page.user.click(within(panel()).getByRole('button', { name: 'Update the plan’s copy …' }));
    await page.user.click(await screen.findByRole('button', { name: /^Apply/ }));
    await waitFor(() => expect(page.saved().models.get('amp-8')?.streamsReceive).toBe(2));
    expect(await within(panel()).findByText(/matches version 1 of the library/)).toBeTruthy();
  });

  test('a version that somebody saved meanwhile is not overwritten: the save is refused with who was first', async () => {
    const page = await workshop('&model=amp-8&edit=1');
    await page.user.click(await screen.findByRole('button', { name: 'Save to library …' }));
    const dialog = await screen.findByRole('dialog');
    saveToLibrary({ id: 'o', name: 'Other engineer' }, [{ after: 0, model: modelNamed('amp-8') }], '');
    await page.user.click(within(dialog).getByRole('button', { name: 'Save version 1' }));
    expect(await screen.findByText(/Other engineer saved version 1 of Amplifier 8 meanwhile/)).toBeTruthy();
    expect(readLibrary()).toMatchObject([{ version: 1, by: 'Other engineer' }]);
  });
});
