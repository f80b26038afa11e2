import { carryCommands, labelsFromSenders, usesOfName } from './rename';
import { labelOf } from '../plan/plan';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';

const amp = modelNamed('amp-8');
const label = (deviceId: string, side: 'send' | 'receive', labels: Record<number, string>) => ({
  kind: 'label-channels' as const,
  deviceId,
  side,
  labels: Object.entries(labels).map(([channel, text]) => ({ channel: Number(channel), label: text })),
});
const start = () =>
  apply(
    planOf({ desk: [modelNamed('console-72'), { name: 'Loft desk' }], amp, amp2: amp }),
    feed('desk', 1, 'amp', 1, 3),
    feed('desk', 1, 'amp2', 4),
    label('desk', 'send', { 1: 'Tide bell', 2: 'Narration' }),
    label('amp', 'receive', { 1: 'tide  BELL', 2: 'Arc', 5: 'Loft desk talkback', 6: 'Loft desks' }),
    label('amp2', 'receive', { 4: 'Tide bell' }),
  );

describe('what names a thing', () => {
  test('a device: its lanes, and labels in which its name stands as whole words', () => {
    const uses = usesOfName(start(), { deviceId: 'desk' }, 'Harbour desk');
    expect(uses.lanes).toBe(4);
    expect([...uses.deviceIds].sort()).toEqual(['amp', 'amp2']);
    expect(uses.labels.map((l) => [l.label, l.renamed])).toEqual([['Loft desk talkback', 'Harbour desk talkback']]);
  });

  test('a sender channel: its lanes, and receivers that hear it and are called like it', () => {
    const plan = start();
    const uses = usesOfName(plan, { deviceId: 'desk', side: 'send', channel: 1 }, 'Ebb bell');
    expect(uses.lanes).toBe(2);
    expect(uses.labels.map((l) => `${l.deviceId} ${l.channel}`)).toEqual(['amp 1', 'amp2 4']);
    const after = apply(plan, ...carryCommands(plan, uses.labels));
    expect(labelOf(after, 'amp', 'receive', 1)).toBe('Ebb bell');
    expect(labelOf(after, 'amp2', 'receive', 4)).toBe('Ebb bell');
    expect(labelOf(after, 'amp', 'receive', 2)).toBe('Arc');
  });

  test('a name with signs in it, or with a dollar in the new one, is taken as it is written', () => {
    const plan = apply(
      start(),
      { kind: 'change-device', deviceId: 'desk', change: { name: 'Desk (a+b)' } },
      label('amp', 'receive', { 7: 'to Desk (a+b)' }),
    );
    expect(usesOfName(plan, { deviceId: 'desk' }, '$& desk').labels.map((l) => l.renamed)).toEqual(['to $& desk']);
  });

  test('nothing: a channel nobody hears and nobody is called like', () => {
    expect(usesOfName(start(), { deviceId: 'desk', side: 'send', channel: 9 }, 'x')).toEqual({
      lanes: 0,
      deviceIds: [],
      labels: [],
      byNameIds: [],
    });
  });
});

test('labels are taken from the senders: where there is one, and only where it differs', () => {
  expect(labelsFromSenders(start(), 'amp')).toEqual([
    { channel: 1, label: 'Tide bell' },
    { channel: 2, label: 'Narration' },
  ]);
  expect(labelsFromSenders(start(), 'amp2')).toEqual([]);
});
