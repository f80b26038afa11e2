import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { render, screen, waitFor, within } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { renderToString } from 'react-dom/server';
import { Toaster } from 'sonner';
import { demoPlan, listPlans, newPlan } from '@/server/plans';
import { sessionOf } from '@/server/sessions';
import { visited } from '../test-page/next-navigation';
import { inTestPages } from '../test-page/test-page';
import { PlansPage } from './plans-page';

inTestPages();

const page = () => (
  <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
    <PlansPage />
    <Toaster />
  </QueryClientProvider>
);
function show() {
  render(page());
  return userEvent.setup();
}
const card = (name: string) => screen.findByRole('listitem', { name });

test('as the server writes it, when nothing answers yet, the page shows nothing that could be pressed or typed into', () => {
  const before = document.createElement('div');
  before.innerHTML = renderToString(page());
  expect(before.textContent).toContain('A plan is the whole design');
  expect(before.querySelectorAll('button, input, select, textarea')).toHaveLength(0);
  show();
  expect(screen.getByLabelText('Name')).toBe(document.activeElement);
  expect(screen.getByRole('button', { name: 'Create plan' })).toBeTruthy();
});

test('each plan says what it is, what is wrong with it and how its lanes run', async () => {
  demoPlan();
  newPlan('Empty yard', undefined);
  show();
  const demo = await card('Skerry Point');
  expect(await within(demo).findByText(/10 places, 60 devices, 328 lanes/)).toBeTruthy();
  expect(within(demo).getByRole('img', { name: '7 refusals' })).toBeTruthy();
  expect(
    within(demo).getByRole('img', { name: /^Skerry Point: the widest lanes run from Wave Hall to Control Loft/ }),
  ).toBeTruthy();
  const empty = await card('Empty yard');
  expect(await within(empty).findByText('0 places, 0 devices, 0 lanes')).toBeTruthy();
  expect(within(empty).getByText('no lanes yet')).toBeTruthy();
});

test('a plan is renamed, and the list says who did it; copied, removed and restored', async () => {
  newPlan('Yard', undefined);
  const user = show();
  await user.click(within(await card('Yard')).getByRole('button', { name: 'Rename Yard' }));
  const dialog = await screen.findByRole('dialog');
  await user.clear(within(dialog).getByLabelText('Name'));
  await user.type(within(dialog).getByLabelText('Name'), 'Great yard{Enter}');
  const renamed = await card('Great yard');
  expect(await within(renamed).findByText(/by Engineer .*: “rename the plan to Great yard”/)).toBeTruthy();

  await user.click(within(renamed).getByRole('button', { name: 'Copy Great yard' }));
  await user.type(within(await screen.findByRole('dialog')).getByLabelText('Name'), '{Enter}');
  await card('Great yard, copy');

  await user.click(within(renamed).getByRole('button', { name: 'Remove Great yard' }));
  await waitFor(() => expect(screen.queryByRole('listitem', { name: 'Great yard' })).toBeNull());
  await user.click(screen.getByText('1 removed'));
  await user.click(screen.getByRole('button', { name: 'Restore Great yard' }));
  await card('Great yard');
  expect(listPlans().every((p) => p.removedAt === null)).toBe(true);
});

test.each([
  ['An empty plan: add devices from models', /gear$/],
  ['The devices in the field now', /gear\?found=1$/],
  ['A table of the network as it is (CSV)', /network$/],
])('a new plan begins with: %s', async (beginning, href) => {
  const user = show();
  await user.type(screen.getByLabelText('Name'), 'New yard');
  await user.click(screen.getByLabelText(beginning));
  await user.click(screen.getByRole('button', { name: 'Create plan' }));
  await waitFor(() => expect(listPlans().map((p) => p.name)).toEqual(['New yard']));
  await waitFor(() => expect(visited.pop()).toMatch(href));
  expect([...sessionOf(listPlans()[0]!.id)!.plan.subnets.values()].map((s) => s.cidr)).toEqual(['10.20.0.0/24']);
});

test('what is wrong with a new plan or a file is said at its place, and nothing is made', async () => {
  const user = show();
  await user.click(screen.getByRole('button', { name: 'Create plan' }));
  expect((await screen.findByRole('alert')).textContent).toBe('A plan needs a name.');
  await user.clear(screen.getByLabelText(/^First media network/));
  await user.type(screen.getByLabelText(/^First media network/), '10.20');
  await user.click(screen.getByRole('button', { name: 'Create plan' }));
  expect(await screen.findByText('Of the form 10.20.0.0/24.')).toBeTruthy();

  const file = new File(['{"format":"jade-lane-plan","version":99}'], 'late.json', { type: 'application/json' });
  await user.upload(screen.getByLabelText('Plan file'), file);
  expect(await screen.findByText(/written by a newer Jade Lane/)).toBeTruthy();
  expect(listPlans()).toEqual([]);
});

test('a first visit offers the walk once: taken it opens the demo at its first step, declined it is not offered again', async () => {
  const user = show();
  await user.click(await screen.findByRole('button', { name: 'Start the walk' }));
  await waitFor(() => expect(visited.pop()).toMatch(/lanes\?walk=1$/));
  expect(listPlans().map((p) => p.name)).toEqual(['Skerry Point']);
  expect(localStorage.getItem('jade-lane-walk')).toBe('taken');

  localStorage.clear();
  document.body.innerHTML = '';
  const again = show();
  await again.click(await screen.findByRole('button', { name: 'Not now' }));
  expect(screen.queryByRole('region', { name: 'First visit' })).toBeNull();
  document.body.innerHTML = '';
  show();
  expect(screen.queryByRole('region', { name: 'First visit' })).toBeNull();
});
