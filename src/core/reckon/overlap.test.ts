import { apply, deviceOf, feed, modelNamed, planOf } from '../plan/test-plan';
import type { Command } from '../plan/commands';
import { PLAIN_LINK } from '../network/links-table';
import { overlapOf } from './overlap';
import { reckon } from './reckon';

const edge = modelNamed('edge-switch-24');
const link = (id: string, from: string, port: string, toPort: string, bitsPerSecond: number): Command => ({
  kind: 'put-link',
  link: {
    id,
    from: { deviceId: from, port },
    to: { deviceId: 'edge', port: toPort },
    bitsPerSecond,
    metres: 5,
    ...PLAIN_LINK,
  },
});
/** An amplifier on a slow cable that receives eight channels of one console and may receive another. */
const plan = apply(
  planOf({ one: modelNamed('console-72'), two: modelNamed('console-72'), amp: modelNamed('amp-8') }),
  { kind: 'put-model', model: edge },
  { kind: 'add-device', device: deviceOf('edge', edge) },
  link('one', 'one', 'Media A', 'Port 1', 1e9),
  link('two', 'two', 'Media A', 'Port 2', 1e9),
  link('amp', 'amp', 'Media A', 'Port 3', 20_000_000),
  feed('one', 1, 'amp', 1, 8),
);

test('while receivers change over, old and new stream are both on the cable: 20 Mb/s carry one of 9.84, not two', () => {
  const before = reckon(plan);
  const after = reckon(apply(plan, feed('two', 1, 'amp', 1, 8)), before);
  expect(after.findings.filter((f) => f.about === 'overload')).toEqual([]);
  const overlap = overlapOf(before, after)!;
  expect(overlap).toMatchObject({ linkId: 'amp', senderId: 'edge' });
  expect(overlap.bitsPerSecond - 2 * 9.84e6).toBeGreaterThan(1e6); // the allowances stay what they are
  expect(overlap.share).toBeGreaterThan(1);
});

test('a link that was over its ceiling before is no news of the change', () => {
  const narrow = apply(plan, link('amp', 'amp', 'Media A', 'Port 3', 12_000_000));
  const before = reckon(narrow);
  expect(before.findings.some((f) => f.about === 'overload')).toBe(true);
  expect(overlapOf(before, reckon(apply(narrow, feed('two', 1, 'amp', 1, 4)), before))).toBeNull();
});

test('a change that only adds, and none at all, overlap with nothing', () => {
  const fewer = apply(plan, {
    kind: 'unsubscribe',
    channels: [5, 6, 7, 8].map((channel) => ({ deviceId: 'amp', channel })),
  });
  expect(overlapOf(reckon(plan), reckon(plan))).toBeNull();
  expect(
    overlapOf(
      reckon(
        apply(fewer, { kind: 'unsubscribe', channels: [1, 2, 3, 4].map((channel) => ({ deviceId: 'amp', channel })) }),
      ),
      reckon(fewer),
    ),
  ).toBeNull();
});
