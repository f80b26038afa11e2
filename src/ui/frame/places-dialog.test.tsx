import { sessionOf } from '@/server/sessions';
import { readFieldPlaces } from '@/server/field-places';
import { useShown } from '@/ui/session/shown';
import { findingTitle } from '@/ui/parts/finding-words';
import { inTestPages, screen, showInPlan, waitFor, within } from '../test-page/test-page';
import { PlacesDialog } from './places-dialog';

inTestPages();
beforeEach(() => {
  process.env['JADE_NETWORKS'] = '127.0.0.0/8';
});
afterEach(() => {
  delete process.env['JADE_NETWORKS'];
});

const show = () =>
  showInPlan('demo', <PlacesDialog onClose={() => undefined} />, {
    hasField: true,
    prepare: (planId, field) => {
      field.adapters = [
        { name: 'lo', address: '127.0.0.1', network: '127.0.0.0/8', isLoopback: true, isUsed: true },
        { name: 'red', address: '127.71.36.9', network: '127.71.36.0/24', isLoopback: false, isUsed: true },
      ];
      field.plug(sessionOf(planId)!.plan, 'dome-amp-1');
    },
  });

const row = (name: RegExp) => screen.getByRole('row', { name });

test('an address is typed in and taken out; one that cannot be is said why, and stays in the field', async () => {
  const { user } = await show();
  const field = await screen.findByLabelText(/^Address/);
  await user.type(field, 'the amp{Enter}');
  expect((await screen.findByRole('alert')).textContent).toContain('not of the form');
  expect((field as HTMLInputElement).value).toBe('the amp');
  await user.clear(field);
  await user.type(field, '127.99.9.9:18997{Enter}');
  await waitFor(() => expect(row(/127\.99\.9\.9/)).toBeTruthy());
  expect((field as HTMLInputElement).value).toBe('');
  // Nobody is there.
  await waitFor(() => expect(row(/127\.99\.9\.9/).textContent).toContain('cannot be reached (connection refused)'));
  await user.click(screen.getByRole('button', { name: 'Remove http://127.99.9.9:18997' }));
  await waitFor(() => expect(screen.queryByRole('row', { name: /127\.99\.9\.9/ })).toBeNull());
  expect(readFieldPlaces().nodes).toEqual([]);
});

test('adapters are told with the subnets that each sees, and one at least stays used', async () => {
  const { user } = await show();
  const section = await screen.findByRole('region', { name: 'Adapters of the server' });
  const lo = within(section).getByRole('checkbox', { name: /^Use lo,/ });
  const others = within(section)
    .queryAllByRole<HTMLInputElement>('checkbox')
    .filter((box) => box !== lo);
  expect(row(/^Use lo,/).textContent).toContain('Leg A');
  // How many devices are asked by it, and would not be without it.
  expect(
    within(row(/^Use lo,/))
      .getAllByRole('cell')
      .at(-1)?.textContent,
  ).toBe('1');
  // The only one cannot be put aside.
  expect((lo as HTMLInputElement).disabled).toBe(others.length === 0);
  for (const other of others) {
    await user.click(other);
    await waitFor(() => expect(other.checked).toBe(false));
  }
  if (others.length === 0) return;
  await waitFor(() => expect(section.textContent).toContain('1 adapter chosen by'));
  expect((lo as HTMLInputElement).disabled).toBe(true);
  await user.click(within(section).getByRole('button', { name: 'Use all' }));
  await waitFor(() => expect(others.every((o) => o.checked)).toBe(true));
});

test('a device that answers on a network where the plan does not have it is among the findings', async () => {
  function Found() {
    const shown = useShown();
    const found = shown?.view.findings.filter((f) => f.about === 'answers-elsewhere') ?? [];
    return <ul>{found.map((f) => shown && <li key={f.id}>{findingTitle(shown.plan, f)}</li>)}</ul>;
  }
  const page = await showInPlan('demo', <Found />, {
    hasField: true,
    prepare: (planId, field) => {
      const { plan } = sessionOf(planId)!;
      // On the network of the other leg, and known by its serial.
      field.plug(plan, 'dome-amp-1', { at: '127.72.99.7' });
    },
  });
  await waitFor(() => expect(screen.getByRole('listitem')).toBeTruthy());
  const words = screen.getByRole('listitem').textContent;
  expect(words).toContain('Dome amp 1 answers at 10.72.99.7 by blue of the server; the plan has it in');
  expect(words).toContain('(red)');
  expect(page.saved().interfaces.get('dome-amp-1')?.size).toBeGreaterThan(0);
});
