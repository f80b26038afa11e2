import { act, waitFor } from '@testing-library/react';
import { sessionOf } from '@/server/sessions';
import { inTestPages, showInPlan } from '../test-page/test-page';
import { commit, undo } from './actions';
import { planNow } from './plan-store';

inTestPages();

const rename = (name: string) => ({ kind: 'change-device' as const, deviceId: 'dome-amp-6', change: { name } });
const nameOf = (planId: string) => sessionOf(planId)?.plan.devices.get('dome-amp-6')?.name;

/** The next request that changes something is on its way for as long as it is not let go; those after it are as quick as ever. */
function holdNext(): () => void {
  const { fetch } = globalThis;
  let letGo = () => {};
  const held = new Promise<void>((resolve) => (letGo = resolve));
  globalThis.fetch = async (input, init) => {
    if (init?.method !== 'POST') return fetch(input, init);
    globalThis.fetch = fetch;
    await held;
    return fetch(input, init);
  };
  return letGo;
}

test('changes arrive in the order in which they were made, and an undo takes back what was done last', async () => {
  const page = await showInPlan('demo', null);
  const letGo = holdNext();
  const done = [commit('first', [rename('First')]), commit('second', [rename('Second')]), undo()];
  letGo();
  await act(() => Promise.all(done));
  expect(await Promise.all(done)).toEqual([true, true, undefined]);
  expect(nameOf(page.planId)).toBe('First');
  expect(planNow().plan?.devices.get('dome-amp-6')?.name).toBe('First');
  expect([planNow().undo?.title, planNow().redo?.title]).toEqual(['first', 'second']);
});

test('what somebody else changed while a change waited for its turn is not written over', async () => {
  const page = await showInPlan('demo', null);
  const letGo = holdNext();
  const elsewhere = { kind: 'change-device' as const, deviceId: 'dome-amp-4', change: { name: 'Other' } };
  const done = [commit('elsewhere', [elsewhere]), commit('mine', [rename('Mine')])];
  await page.another('theirs', rename('Theirs'));
  await waitFor(() => expect(planNow().plan?.devices.get('dome-amp-6')?.name).toBe('Theirs'));
  letGo();
  await act(() => Promise.all(done));
  expect(await Promise.all(done)).toEqual([true, false]);
  expect(nameOf(page.planId)).toBe('Theirs');
});

test('one that is refused does not keep the next from being made', async () => {
  const page = await showInPlan('demo', null);
  const unknown = { kind: 'change-device' as const, deviceId: 'nobody', change: { name: 'Nobody' } };
  const done = [commit('refused', [unknown]), commit('made', [rename('Made')])];
  await act(() => Promise.all(done));
  expect(await Promise.all(done)).toEqual([false, true]);
  expect(nameOf(page.planId)).toBe('Made');
});
