import { useState } from 'react';
import { feed } from '@/core/plan/test-plan';
import { FeedBar } from '@/ui/lanes/feed-bar';
import { commit, previewBatch, undo } from '@/ui/session/actions';
import { usePlan } from '@/ui/session/plan-store';
import { act, inTestPages, screen, showInPlan, waitFor, within } from '../test-page/test-page';
import { HistoryDialog } from './history-dialog';
import { PreviewBar } from './preview-bar';

inTestPages();

const RECEIVERS = [1, 2, 3].map((channel) => ({ deviceId: 'dome-amp-6', channel }));

function Feeding() {
  const plan = usePlan((s) => s.plan);
  const [isOpen, setOpen] = useState(true);
  if (plan === null || !isOpen) return <p>closed</p>;
  return <FeedBar plan={plan} receivers={RECEIVERS} onClose={() => setOpen(false)} />;
}
const heard = (page: {
  saved: () => {
    subscriptions: ReadonlyMap<string, ReadonlyMap<number, { senderDeviceId: string; senderChannel: number }>>;
  };
}) =>
  [1, 2, 3].map((c) => {
    const s = page.saved().subscriptions.get('dome-amp-6')?.get(c);
    return s === undefined ? null : `${s.senderDeviceId} ${s.senderChannel}`;
  });

describe('two at one channel', () => {
  async function overtaken() {
    const page = await showInPlan('demo', <Feeding />);
    await page.user.type(screen.getByRole('combobox'), 'tank mic 1');
    await waitFor(() => expect(screen.getByRole('button', { name: /^Apply/ }).hasAttribute('disabled')).toBe(false));
    await page.another('feed from the console', feed('loft-console', 7, 'dome-amp-6', 2));
    const alert = await screen.findByRole('alert');
    expect(alert.textContent).toMatch(/Changed meanwhile by Second engineer/);
    expect(alert.textContent).toMatch(
      /Dome amp 6 · in 2: theirs Loft console · .*“feed from the console”.*yours Wave stage box · Tank mic 2/,
    );
    return page;
  }

  test('what was overtaken is not applied by Enter: both are shown, and nothing is lost', async () => {
    const page = await overtaken();
    await page.user.type(screen.getByRole('combobox'), '{Enter}');
    expect(screen.queryByText('closed')).toBeNull();
    expect(heard(page)).toEqual([null, 'loft-console 7', null]);
    // Focus is where the choice is.
    expect(document.activeElement?.textContent).toBe('Keep theirs, apply the rest');
  });

  test('theirs stays, the rest is applied', async () => {
    const page = await overtaken();
    await page.user.click(screen.getByRole('button', { name: 'Keep theirs, apply the rest' }));
    await screen.findByText('closed');
    expect(heard(page)).toEqual(['wave-stage-box 5', 'loft-console 7', 'wave-stage-box 7']);
  });

  test('or theirs is replaced, knowingly', async () => {
    const page = await overtaken();
    await page.user.click(screen.getByRole('button', { name: 'Replace theirs (1 record)' }));
    await screen.findByText('closed');
    expect(heard(page)).toEqual(['wave-stage-box 5', 'wave-stage-box 6', 'wave-stage-box 7']);
  });

  test('what others change elsewhere is no clash, and neither is one’s own other window', async () => {
    const page = await showInPlan('demo', <Feeding />);
    await page.user.type(screen.getByRole('combobox'), 'tank mic 1');
    await waitFor(() => expect(screen.getByRole('button', { name: /^Apply/ }).hasAttribute('disabled')).toBe(false));
    await page.another('elsewhere', feed('loft-console', 7, 'dome-amp-6', 8));
    expect(screen.queryByRole('alert')).toBeNull();
    await page.user.type(screen.getByRole('combobox'), '{Enter}');
    await screen.findByText('closed');
    expect(heard(page)[0]).toBe('wave-stage-box 5');
  });

  test('two at other fields of one device do not clash: both stay', async () => {
    const page = await showInPlan('demo', <PreviewBar />);
    const change = { kind: 'change-device' as const, deviceId: 'lab-recorder' };
    await act(() => previewBatch('run at 48 kHz', [{ ...change, change: { rateHz: 48_000 } }]));
    await page.another('rename', { ...change, change: { name: 'Recorder' } });
    await page.user.click(await screen.findByRole('button', { name: /^Apply/ }));
    await waitFor(() =>
      expect(page.saved().devices.get('lab-recorder')).toMatchObject({ rateHz: 48_000, name: 'Recorder' }),
    );
  });

  test('two at the same field are asked, with both; where no part can be kept apart it is one or the other', async () => {
    const page = await showInPlan('demo', <PreviewBar />);
    const change = { kind: 'change-device' as const, deviceId: 'lab-recorder' };
    await act(() => previewBatch('call it Mine', [{ ...change, change: { name: 'Mine' } }]));
    await page.another('move it', { ...change, change: { placeId: 'pier' } });
    expect(screen.queryByRole('alert')).toBeNull();
    await page.another('call it Theirs', { ...change, change: { name: 'Theirs' } });
    const alert = await screen.findByRole('alert');
    expect(alert.textContent).toMatch(/device Theirs: theirs → yours: name: Theirs → Mine \(“call it Theirs”\)/);
    expect(within(alert).queryByRole('button', { name: /Keep theirs, apply/ })).toBeNull();
    await page.user.click(within(alert).getByRole('button', { name: 'Discard mine' }));
    await waitFor(() => expect(screen.queryByRole('alert')).toBeNull());
    expect(page.saved().devices.get('lab-recorder')).toMatchObject({ placeId: 'pier', name: 'Theirs' });
  });

  test('what somebody made impossible meanwhile is no longer offered, and that is said', async () => {
    const page = await showInPlan('demo', <PreviewBar />);
    await act(() => previewBatch('feed it', [feed('loft-console', 1, 'dome-amp-6', 1)]));
    await page.another('remove it', { kind: 'remove-device', deviceId: 'dome-amp-6' });
    expect(await screen.findByText('Not possible any more, after “remove it”: feed it')).toBeTruthy();
    await waitFor(() => expect(screen.queryByRole('region', { name: 'Preview' })).toBeNull());
    expect(page.saved().subscriptions.has('dome-amp-6')).toBe(false);
  });
});

test('an undo says what it left, whose that is, and the next one goes on', async () => {
  const page = await showInPlan('demo', <PreviewBar />);
  await act(() => commit('older', [feed('loft-console', 9, 'dome-amp-6', 8)]));
  await act(() => commit('mine', [feed('loft-console', 1, 'dome-amp-6', 1, 2)]));
  await page.another('theirs', feed('loft-console', 20, 'dome-amp-6', 2));
  await act(() => undo());
  expect(await screen.findByText('Undone in part: mine')).toBeTruthy();
  expect(
    screen.getByText('1 record stays as it is: Dome amp 6 · in 2 was changed by Second engineer (“theirs”).'),
  ).toBeTruthy();
  expect(heard(page)).toEqual([null, 'loft-console 20', null]);
  await page.another('theirs too', feed('loft-console', 21, 'dome-amp-6', 8));
  await act(() => undo());
  expect(await screen.findByText('“older” cannot be undone any more')).toBeTruthy();
  await act(() => undo());
  expect(await screen.findByText('Not undone')).toBeTruthy();
});

test('the history is filtered by device; a step opens to its records, and part of it is taken back', async () => {
  const page = await showInPlan('demo', <HistoryDialog onClose={() => undefined} />);
  expect(await screen.findByText('Nothing was changed yet.')).toBeTruthy();
  await act(() => commit('feed three', [feed('loft-console', 1, 'dome-amp-6', 1, 3)]));
  await page.another('feed over it', feed('loft-console', 20, 'dome-amp-6', 2));
  await page.another('name the amplifier', {
    ...{ kind: 'change-device' as const, deviceId: 'wave-amp-1' },
    change: { name: 'Hall amp', rateHz: 96_000 },
  });
  const list = screen.getByRole('list', { name: 'History' });
  await waitFor(() => expect(within(list).getAllByRole('button').length).toBe(3));
  await page.user.click(within(list).getByRole('button', { name: /name the amplifier.*Second engineer.*1 record/ }));
  expect(await screen.findByText('name: Wave amp 1 → Hall amp; rate: 48 kHz → 96 kHz')).toBeTruthy();

  await page.user.selectOptions(screen.getByLabelText('Device in the history'), 'dome-amp-6');
  await waitFor(() => expect(within(list).queryByText('name the amplifier')).toBeNull());
  await page.user.click(within(list).getByRole('button', { name: /feed three/ }));
  const changes = await screen.findByRole('list', { name: 'Changes of “feed three”' });
  const boxes = within(changes).getAllByRole('checkbox') as HTMLInputElement[];
  expect(boxes.map((b) => [b.checked, b.disabled])).toEqual([
    [true, false],
    [false, true],
    [true, false],
  ]);
  expect(changes.textContent).toContain('changed since by Second engineer');
  await page.user.click(boxes[0]!);
  await page.user.click(screen.getByRole('button', { name: 'Take back 1 of 3' }));
  await waitFor(() => expect(heard(page)).toEqual(['loft-console 1', 'loft-console 20', null]));
  expect(await screen.findByText('Taken back: feed three')).toBeTruthy();
  expect(await within(list).findByText('take back part of “feed three”')).toBeTruthy();
});
