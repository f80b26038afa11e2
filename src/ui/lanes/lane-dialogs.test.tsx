import { useState } from 'react';
import { feed } from '@/core/plan/test-plan';
import { PreviewBar } from '@/ui/frame/preview-bar';
import { usePlan } from '@/ui/session/plan-store';
import { inTestPages, screen, showInPlan, waitFor, within, type TestPage } from '../test-page/test-page';
import { FeedBar } from './feed-bar';
import { MoveDialog, SwapDialog } from './move-dialog';
import { RepackDialog } from './repack-dialog';

inTestPages();

const heard = (page: TestPage, device: string, channel: number) => {
  const s = page.saved().subscriptions.get(device)?.get(channel);
  return s === undefined ? null : `${s.senderDeviceId} ${s.senderChannel}`;
};
const apply = async (page: TestPage) => page.user.click(await screen.findByRole('button', { name: /^Apply/ }));

function Dialogs({ which }: { which: 'move' | 'swap' | 'repack' }) {
  const plan = usePlan((s) => s.plan);
  const [isOpen, setOpen] = useState(true);
  const close = () => setOpen(false);
  return (
    <>
      {plan === null || !isOpen ? null : which === 'move' ? (
        <MoveDialog plan={plan} from="dome-amp-1" onClose={close} />
      ) : which === 'swap' ? (
        <SwapDialog plan={plan} start={{ deviceId: 'wave-stage-box', channel: 1 }} onClose={close} />
      ) : (
        <RepackDialog plan={plan} onClose={close} />
      )}
      <PreviewBar />
    </>
  );
}

test('lanes move to the device that has room for all of them, which is proposed', async () => {
  const page = await showInPlan('demo', <Dialogs which="move" />);
  const dialog = within(await screen.findByRole('dialog'));
  expect((dialog.getByLabelText('To') as HTMLSelectElement).selectedOptions[0]?.textContent).toMatch(/^Dome amp 6/);
  const before = heard(page, 'dome-amp-1', 1);
  await page.user.click(dialog.getByRole('button', { name: /^Preview/ }));
  await apply(page);
  await waitFor(() => expect(heard(page, 'dome-amp-6', 1)).toBe(before));
  expect(heard(page, 'dome-amp-1', 1)).toBeNull();
});

test('what has no room stays and is named; nothing to move is said', async () => {
  const page = await showInPlan('demo', <Dialogs which="move" />, {
    before: [feed('loft-console', 1, 'dome-amp-6', 3)],
  });
  const dialog = within(await screen.findByRole('dialog'));
  await page.user.selectOptions(
    dialog.getByLabelText('To'),
    screen.getAllByRole('option', { name: /^Dome amp 6/ }).at(-1)!,
  );
  expect(screen.getByRole('dialog').textContent).toMatch(/the new channel is subscribed already/);
  await page.user.click(dialog.getByLabelText('what it receives'));
  expect(await dialog.findByText('There is nothing to move.')).toBeTruthy();
});

test('two senders swap everywhere, and a swap that overlaps itself is refused', async () => {
  const page = await showInPlan('demo', <Dialogs which="swap" />);
  const dialog = within(await screen.findByRole('dialog'));
  const before = [...page.saved().subscriptions.values()].flatMap((own) => [...own.values()]);
  const receiversOf = (n: number) =>
    before.filter((s) => s.senderDeviceId === 'wave-stage-box' && s.senderChannel === n);
  await page.user.selectOptions(
    dialog.getByLabelText('Second sender'),
    dialog.getAllByRole('option', { name: /^Wave stage box/ }).at(-1)!,
  );
  await waitFor(() => expect(screen.getByRole('dialog').textContent).toMatch(/The two runs overlap/));
  await page.user.selectOptions(dialog.getAllByLabelText('Channel')[1]!, '5');
  await page.user.click(dialog.getByRole('button', { name: /^Preview/ }));
  await apply(page);
  const [one] = receiversOf(5);
  await waitFor(() => expect(heard(page, one!.receiverDeviceId, one!.receiverChannel)).toBe('wave-stage-box 1'));
});

test('repacking says what it would save before it is looked at, and stops when told', async () => {
  const page = await showInPlan('demo', <Dialogs which="repack" />);
  const dialog = within(await screen.findByRole('dialog', { name: 'Repack the streams' }));
  await page.user.click(dialog.getByLabelText('streams that carry may be interrupted'));
  const preview = await dialog.findByRole('button', { name: /^Preview \d+ streams fewer/ });
  await waitFor(() => expect(preview.hasAttribute('disabled')).toBe(false), { timeout: 20_000 });
  await page.user.click(preview);
  await apply(page);
  await waitFor(() => expect(page.saved().layouts.size).toBeGreaterThan(0));
});

describe('feeding a run', () => {
  function Feeding() {
    const plan = usePlan((s) => s.plan);
    const receivers = [1, 2, 3, 4].map((channel) => ({ deviceId: 'dome-amp-6', channel }));
    return plan === null ? null : <FeedBar plan={plan} receivers={receivers} onClose={() => undefined} />;
  }
  const feedBy = async (fill: string, typed: string) => {
    const page = await showInPlan('demo', <Feeding />);
    if (fill !== '') await page.user.click(screen.getByLabelText(fill));
    await page.user.type(screen.getByRole('combobox'), typed);
    const button = screen.getByRole('button', { name: /^Apply/ });
    await waitFor(() => expect(button.hasAttribute('disabled')).toBe(false));
    await page.user.click(button);
    await waitFor(() => expect(heard(page, 'dome-amp-6', 1)).not.toBeNull());
    return [1, 2, 3, 4].map((c) => heard(page, 'dome-amp-6', c)?.split(' ')[1]);
  };

  test.each([
    ['', ['5', '6', '7', '8']],
    ['All the same', ['5', '5', '5', '5']],
    ['Reversed', ['8', '7', '6', '5']],
  ])('fill “%s”', async (fill, channels) => {
    expect(await feedBy(fill, 'tank mic 1')).toEqual(channels);
  });

  test('every nth, with the step typed over', async () => {
    const page = await showInPlan('demo', <Feeding />);
    const step = screen.getByLabelText('Sender channels from one to the next');
    await page.user.clear(step);
    await page.user.type(step, '3');
    await page.user.type(screen.getByRole('combobox'), 'tank mic 1');
    const button = screen.getByRole('button', { name: /^Apply/ });
    await waitFor(() => expect(button.hasAttribute('disabled')).toBe(false));
    await page.user.click(button);
    await waitFor(() => expect(heard(page, 'dome-amp-6', 4)).toBe('wave-stage-box 14'));
  });

  test('beyond the last sender channel the rest is left, and said to be', async () => {
    const page = await showInPlan('demo', <Feeding />);
    await page.user.type(screen.getByRole('combobox'), 'show player out 48');
    expect((await screen.findByText(/ left: /)).textContent).toBe('1 fed, 3 left: no channel left for Dome amp 6 2–4.');
    await page.user.clear(screen.getByRole('combobox'));
    await page.user.type(screen.getByRole('combobox'), 'nobody of this name');
    expect(await screen.findByText('No sender matches.')).toBeTruthy();
  });
});
