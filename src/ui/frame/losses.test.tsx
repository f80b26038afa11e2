import { applyChanges } from '@/core/plan/changes';
import { applyCommands } from '@/core/plan/apply-commands';
import type { SentStream } from '@/core/streams/sent-streams-table';
import type { TestField } from '@/field/live/test-field';
import { sessionOf } from '@/server/sessions';
import { LanePanel } from '@/ui/lanes/lane-panel';
import { selectRows } from '@/ui/lanes/selection';
import { useShown } from '@/ui/session/shown';
import { visited } from '../test-page/next-navigation';
import { act, inTestPages, screen, showInPlan, waitFor } from '../test-page/test-page';
import { FieldDialog } from './field-dialog';
import { FieldMessages } from './field-messages';
import { closeDialog, useFrameDialog } from './frame-dialog';
import { LiveLine } from './live-line';
import { LossesNow } from './losses-list';
import { OpenPoints } from './open-points';
import { TotalsStrip } from './totals-strip';

inTestPages();

/** The demo's dome: a renderer sends to four amplifiers, all of which were told so and do it. */
const DOME = ['dome-renderer', 'dome-amp-1', 'dome-amp-2'] as const;

function carries(planId: string, field: TestField): void {
  const session = sessionOf(planId)!;
  const reckoning = session.reckoning();
  const channels = [...(session.plan.subscriptions.get('dome-renderer')?.keys() ?? [])].map((channel) => ({
    ...{ deviceId: 'dome-renderer', channel },
  }));
  const isAmp = (id: string) => DOME.some((d) => d === id);
  const put: SentStream[] = (reckoning.streamsBySender.get('dome-renderer') ?? [])
    .filter((s) => s.streamNumber <= 2 && s.receiverDeviceIds.every(isAmp))
    .map((s) => ({
      ...{ senderDeviceId: s.senderDeviceId, streamNumber: s.streamNumber, channels: s.channels, format: s.format },
      ...{ groupA: null, groupB: null },
      receivers: s.receiverDeviceIds.map((deviceId) => ({ deviceId, streamNumber: 1 })),
    }));
  const result = applyCommands(session.plan, [
    // What would feed the renderer is not there.
    { kind: 'unsubscribe', channels },
    { kind: 'keep-sent-streams', put, drop: [] },
  ]);
  if (!result.ok) throw new Error('not kept');
  session.plan = applyChanges(session.plan, result.changes);
  for (const id of DOME) {
    field.plug(session.plan, id);
    field.obey(session.reckoning(), id, Date.now());
  }
}

function Everything() {
  const dialog = useFrameDialog((s) => s.open);
  const shown = useShown();
  if (shown === null) return null;
  return (
    <>
      <LossesNow plan={shown.plan} area="lanes" />
      <LiveLine plan={shown.plan} deviceId="dome-renderer" />
      <TotalsStrip />
      {dialog === 'findings' ? <OpenPoints onClose={closeDialog} /> : null}
      <FieldMessages />
    </>
  );
}

const show = (of: React.ReactNode = <Everything />) =>
  showInPlan('demo', of, { hasField: true, prepare: (planId, field) => void carries(planId, field) });

test('nothing is lost: nothing is said of it', async () => {
  await show();
  await waitFor(() => expect(screen.getByText('In the field: answering')).toBeTruthy());
  expect(screen.queryByText('Lost now')).toBeNull();
  expect(screen.getByTestId('refusals').textContent).not.toContain('lost');
});

test('a device that goes is told with what it takes along, at every place, and so is its return', async () => {
  const page = await show();
  page.field.unplug('dome-renderer');
  await page.fieldChanged();
  const lost = await screen.findByRole('region', { name: 'Lost now' });
  expect(lost.textContent).toMatch(/\d+ lanes waiting/);
  expect(lost.textContent).toMatch(/Dome renderer is offline, \d+ lanes waiting since \d\d:\d\d:\d\d/);
  expect(screen.getByText(/In the field: offline since .*, \d+ lanes waiting/)).toBeTruthy();
  expect(screen.getByTestId('refusals').textContent).toContain('1 lost');
  // A message, with what it takes along and a way there.
  expect(await screen.findByText('Dome renderer went offline')).toBeTruthy();
  expect(screen.getByText(/^Now \d+ lanes waiting\.$/)).toBeTruthy();
  await page.user.click(screen.getByRole('button', { name: 'Show' }));
  expect(visited.pop()).toMatch(/gear\?sel=dome-renderer$/);

  page.field.plug(page.saved(), 'dome-renderer');
  await page.fieldChanged();
  expect(await screen.findByText('Dome renderer came back')).toBeTruthy();
  await waitFor(() => expect(screen.queryByText(/is offline/)).toBeNull());
});

test('what happened before the plan was opened is not told as news; the first thing that happens after it is', async () => {
  const page = await show();
  page.field.unplug('dome-amp-1');
  await page.fieldChanged();
  await screen.findByText('Dome amp 1 went offline');
  await page.reopen(<Everything />);
  expect(await screen.findByText(/Dome amp 1 is offline/)).toBeTruthy();
  expect(screen.queryByText('Dome amp 1 went offline')).toBeNull();
  page.field.plug(page.saved(), 'dome-amp-1');
  await page.fieldChanged();
  expect(await screen.findByText('Dome amp 1 came back')).toBeTruthy();
});

test('several that go together are one message, which grows', async () => {
  const page = await show();
  page.field.unplug('dome-amp-1');
  await page.fieldChanged();
  expect(await screen.findByText('Dome amp 1 went offline')).toBeTruthy();
  page.field.unplug('dome-amp-2');
  await page.fieldChanged();
  expect(await screen.findByText('Dome amp 1 and Dome amp 2 went offline')).toBeTruthy();
  expect(screen.queryByText('Dome amp 1 went offline')).toBeNull();
});

test('the registry lost is the first loss, and its return ends it', async () => {
  const page = await show();
  page.field.isConnected = false;
  await page.fieldChanged();
  const lost = await screen.findByRole('region', { name: 'Lost now' });
  expect(lost.textContent).toContain('The registry is offline: it is gone');
  page.field.isConnected = true;
  await page.fieldChanged();
  await waitFor(() => expect(screen.queryByRole('region', { name: 'Lost now' })).toBeNull());
});

test('the list behind the totals has everything, is filtered by severity, stage, place and text, and leads there', async () => {
  const page = await show();
  page.field.unplug('dome-amp-1');
  await page.fieldChanged();
  await page.user.click(screen.getByTestId('refusals'));
  const list = await screen.findByRole('list', { name: 'Findings and losses' });
  const texts = () => [...list.querySelectorAll('li')].map((li) => li.textContent ?? '');
  const all = texts();
  expect(all[0]).toMatch(/^LostDome amp 1 is offline/);
  const order = all.map((t) => ['Lost', 'Refusal', 'Caution', 'Note'].findIndex((w) => t.startsWith(w)));
  expect(order).toEqual([...order].sort((a, b) => a - b));

  await page.user.selectOptions(screen.getByLabelText('Severity'), 'refusal');
  expect(texts().every((t) => t.startsWith('Refusal'))).toBe(true);
  await page.user.selectOptions(screen.getByLabelText('Stage'), 'lanes');
  expect(texts().length).toBe(1);
  expect(list.querySelector('a')!.getAttribute('href')).toMatch(/lanes\?sel=lab-recorder/);
  await page.user.selectOptions(screen.getByLabelText('Severity'), '');
  await page.user.selectOptions(screen.getByLabelText('Stage'), '');
  await page.user.selectOptions(screen.getByLabelText('Place of the finding'), 'dome');
  expect(texts().length).toBeGreaterThan(0);
  expect(texts().length).toBeLessThan(all.length);
  await page.user.type(screen.getByLabelText('Filter findings'), 'nothing like it');
  expect(screen.getByText('Nothing passes this filter.')).toBeTruthy();
});

test('the list behind the count of answering devices: the lost first, with how long and what waits', async () => {
  const page = await show(<FieldDialog onClose={() => undefined} />);
  page.field.unplug('dome-renderer');
  page.field.fail('dome-amp-1');
  await page.fieldChanged();
  const table = await screen.findByRole('region', { name: 'Devices in the field' });
  const rows = () => [...table.querySelectorAll('tbody tr')].map((tr) => tr.textContent ?? '');
  await waitFor(() => expect(rows()[0]).toMatch(/^Dome renderer.*offline since .*before .*\d+$/));
  expect(rows()[1]).toMatch(/^Dome amp 1.*not read: cannot be reached/);
  expect(rows()[2]).toMatch(/^Dome amp 2.*answering.*registered/);
  expect(rows().some((r) => r.includes('on paper'))).toBe(true);
  await page.user.type(screen.getByLabelText('Filter devices in the field'), 'offline');
  expect(rows().length).toBe(1);
});

test('a lane shows both truths: the verdict of the plan, and that its sender is gone', async () => {
  const page = await show(<Lane />);
  act(() => selectRows([{ kind: 'channel', deviceId: 'dome-amp-1', channel: 1 }]));
  expect(await screen.findByText('Fits.')).toBeTruthy();
  page.field.unplug('dome-renderer');
  await page.fieldChanged();
  expect(await screen.findByText(/^Dome renderer offline since/)).toBeTruthy();
  expect(screen.getAllByText('waiting').length).toBe(2);
  expect(screen.getByText('Fits.')).toBeTruthy();
});

function Lane() {
  const shown = useShown();
  return shown === null ? null : <LanePanel plan={shown.plan} view={shown.view} isPreview={false} />;
}
