import fc from 'fast-check';
import type { LaneView } from '@/workers/reckon-view';
import { breakWords, mendWords } from '@/ui/parts/effect-words';
import { previewBatch } from '@/ui/session/actions';
import { effectsOf, isForTheWorse, type Effects } from '@/ui/session/effects';
import { planNow, type View } from '@/ui/session/plan-store';
import { feed } from '@/core/plan/test-plan';
import { act, inTestPages, screen, showInPlan, waitFor } from '../test-page/test-page';
import { PreviewBar } from './preview-bar';

inTestPages();

const preview = () => screen.getByRole('region', { name: 'Preview' }).textContent ?? '';

test('a way out says what it mends and, where it breaks more than that, does not look like a good idea', async () => {
  const page = await showInPlan('demo', <PreviewBar />);
  await act(() =>
    previewBatch('run Loft console at 96 kHz', [
      { kind: 'change-device', deviceId: 'loft-console', change: { rateHz: 96_000 } },
    ]),
  );
  await screen.findByRole('button', { name: 'Apply anyway' });
  expect(preview()).toMatch(/Mends 2 lanes/);
  expect(preview()).toMatch(/Refuses \d+ lanes.*adds \d+ refusals/);
  await page.user.keyboard('{Escape}');
  await waitFor(() => expect(screen.queryByRole('region', { name: 'Preview' })).toBeNull());

  const channels = [13, 14].map((channel) => ({ deviceId: 'lab-recorder', channel }));
  await act(() => previewBatch('clear 2 lanes of Lab recorder', [{ kind: 'unsubscribe', channels }]));
  const apply = await screen.findByRole('button', { name: 'Apply' });
  // They carried nothing: nothing ends.
  expect(preview()).toMatch(/Mends 1 finding\./);
  expect(preview()).not.toMatch(/Ends/);
  expect(document.activeElement).toBe(apply);
  await page.user.keyboard('{Enter}');
  await waitFor(() => expect(page.saved().subscriptions.get('lab-recorder')?.has(13)).toBe(false));
  await waitFor(() => expect(screen.queryByRole('region', { name: 'Preview' })).toBeNull());
});

test('what ends, what is new, and what changes no verdict at all', async () => {
  await showInPlan('demo', <PreviewBar />);
  await act(() => previewBatch('clear', [{ kind: 'unsubscribe', channels: [{ deviceId: 'dome-amp-1', channel: 1 }] }]));
  await waitFor(() => expect(preview()).toMatch(/Ends 1 lane\./));
  await act(() => previewBatch('feed another', [feed('loft-console', 1, 'dome-amp-1', 1)]));
  await waitFor(() => expect(preview()).toMatch(/Ends 1 lane\./));
  await act(() => previewBatch('rename', [{ kind: 'change-device', deviceId: 'dome-amp-1', change: { name: 'Amp' } }]));
  await waitFor(() => expect(preview()).toMatch(/Nothing is refused; nothing is interrupted/));
  expect(screen.getByRole('button', { name: 'Apply' })).toBeTruthy();
});

test('law: what is better and worse from one reckoning to another is the other way round on the way back', async () => {
  await showInPlan('demo', <PreviewBar />);
  const view = planNow().view as View;
  const receivers = [...view.lanes.keys()];
  const flipped = (lanes: ReadonlyMap<number, LaneView>, which: ReadonlySet<number>) =>
    new Map(
      [...lanes].map(([channel, lane]): [number, LaneView] =>
        which.has(channel)
          ? [channel, { ...lane, verdict: lane.verdict === 'refused' ? 'fits' : 'refused' }]
          : [channel, lane],
      ),
    );
  fc.assert(
    fc.property(
      fc.dictionary(fc.constantFrom(...receivers), fc.uniqueArray(fc.integer({ min: 1, max: 16 }))),
      fc.uniqueArray(fc.integer({ min: 0, max: view.findings.length - 1 })),
      (flips, goneAt) => {
        const lanes = new Map(view.lanes);
        for (const [id, channels] of Object.entries(flips))
          lanes.set(id, flipped(view.lanes.get(id)!, new Set(channels)));
        const findings = view.findings.filter((_, n) => !goneAt.includes(n));
        const after: View = { ...view, lanes, findings };
        const there = effectsOf(view, after);
        const back = effectsOf(after, view);
        expect(there.mendedLanes).toBe(back.refusedLanes);
        expect(there.refusedLanes).toBe(back.mendedLanes);
        expect(there.mendedFindings).toBe(back.newRefusals + back.newCautions);
        expect(there.newRefusals).toBe(0);
        expect(effectsOf(view, view)).toMatchObject({ mendedLanes: 0, refusedLanes: 0, mendedFindings: 0 });
      },
    ),
  );
});

test('there are words only for what is mended or broken, and whatever is interrupted is for the worse', () => {
  const none: Effects = {
    ...{ mendedLanes: 0, mendedFindings: 0, refusedLanes: 0 },
    ...{ changedLanes: 0, newRefusals: 0, newCautions: 0 },
  };
  expect([mendWords(none), breakWords(none), isForTheWorse(none, 0)]).toEqual([null, null, false]);
  expect(mendWords({ ...none, mendedLanes: 2 })).toBe('Mends 2 lanes.');
  expect(breakWords({ ...none, refusedLanes: 12 })).toBe('Refuses 12 lanes.');
  expect(breakWords({ ...none, changedLanes: 3, newCautions: 1 })).toBe('Ends 3 lanes; adds 1 caution.');
  expect(isForTheWorse({ ...none, mendedLanes: 20, refusedLanes: 21 }, 0)).toBe(true);
  expect(isForTheWorse({ ...none, mendedLanes: 1, newCautions: 1 }, 0)).toBe(false);
  expect(isForTheWorse({ ...none, mendedLanes: 1 }, 1)).toBe(true);
});
