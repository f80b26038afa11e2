import fc from 'fast-check';
import { generatePlan } from '../../demo/generate';
import { plannedClock } from '../clocks/clock-settings';
import { areLocked } from '../clocks/media-clock';
import { derives } from '../clocks/reference-state';
import { planOfFile } from '../formats/plan-file';
import { choice, chosen } from '../plan/test-arbitrary';
import { modelOf, type Plan } from '../plan/plan';
import { apply } from '../plan/test-plan';
import { reckon } from './reckon';
import type { Reckoning } from './reckoning';

/** Lane by lane: which run free of whom they hear, counted by the two devices. */
function freeRunning({ plan, clocks }: Reckoning): Map<string, number> {
  const lanes = new Map<string, number>();
  for (const own of plan.subscriptions.values()) {
    for (const { receiverDeviceId, senderDeviceId } of own.values()) {
      const receiver = clocks.media.get(receiverDeviceId);
      const sender = clocks.media.get(senderDeviceId);
      if (receiver === undefined || sender === undefined || receiverDeviceId === senderDeviceId) continue;
      if (areLocked(sender, receiver) || !derives(sender.rateHz, receiver.rateHz, false)) continue;
      const hasConverters = plannedClock(plan, receiverDeviceId)?.ability.src === 'inputs';
      if (hasConverters && sender.origin.kind !== 'stopped') continue;
      const key = `${senderDeviceId} to ${receiverDeviceId}`;
      lanes.set(key, (lanes.get(key) ?? 0) + 1);
    }
  }
  return lanes;
}

const found = (reckoning: Reckoning) =>
  new Map(
    reckoning.findings.flatMap((f) =>
      f.about === 'free-running' ? f.pairs.map((p) => [`${p.senderId} to ${p.receiverId}`, p.lanes] as const) : [],
    ),
  );

const sorted = (lanes: ReadonlyMap<string, number>) => [...lanes].sort(([a], [b]) => (a < b ? -1 : 1));

test('law: lanes that slip are found as one by one, from nothing and after edits of lanes and clocks', () => {
  let slipping = 0;
  fc.assert(
    fc.property(
      fc.integer({ min: 1, max: 20 }),
      fc.array(choice, { maxLength: 6 }),
      fc.array(fc.tuple(choice, choice, fc.integer({ min: 1, max: 2 })), { maxLength: 6 }),
      (seed, alone, fed) => {
        const start = planOfFile(generatePlan({ devices: 40, seed }));
        let reckoning = reckon(start);
        const goOn = (plan: Plan) => {
          reckoning = reckon(plan, reckoning);
          expect(sorted(found(reckoning))).toEqual(sorted(freeRunning(reckoning)));
        };
        let plan = start;
        for (const at of alone) {
          const clock = chosen([...reckoning.clocks.network.clocks.values()], at);
          if (clock === undefined) continue;
          const settings = { ...clock.planned.settings, mediaClock: 'own' } as const;
          goOn((plan = apply(plan, { kind: 'put-clock', settings })));
        }
        for (const [to, from, channel] of fed) {
          const receiver = chosen([...plan.subscriptions.keys()], to);
          const able = [...plan.devices.keys()].filter((id) => (modelOf(plan, id)?.channelsSend ?? 0) > 0);
          const sender = chosen(able, from);
          if (receiver === undefined || sender === undefined) continue;
          const lane = {
            receiverDeviceId: receiver,
            receiverChannel: channel,
            senderDeviceId: sender,
            senderChannel: 1,
          };
          goOn((plan = apply(plan, { kind: 'subscribe', subscriptions: [lane] })));
        }
        slipping += freeRunning(reckoning).size;
        expect(sorted(found(reckon(plan)))).toEqual(sorted(freeRunning(reckoning)));
      },
    ),
    { numRuns: 15 },
  );
  expect(slipping).toBeGreaterThan(0);
});
