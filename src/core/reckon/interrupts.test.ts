import fc from 'fast-check';
import { copyOfPlan } from '../edits/copy-plan';
import { MERGED_KINDS, mergePlan } from '../edits/merge-plan';
import { planOfFile } from '../formats/plan-file';
import { applyCommands } from '../plan/apply-commands';
import { applyChanges, inverseOf } from '../plan/changes';
import type { Command } from '../plan/commands';
import type { Plan } from '../plan/plan';
import { channelCount, modelOf } from '../plan/plan';
import { arbitraryCommand } from '../plan/test-arbitrary-commands';
import { choicesFrom, chosen } from '../plan/test-arbitrary';
import { generatePlan } from '../../demo/generate';
import { skerryPoint } from '../../demo/skerry-point';
import { interruptedLanes } from './interrupts';
import { provenFixes } from './proven-fixes';
import { reckon } from './reckon';
import type { Reckoning } from './reckoning';
import { planRepack } from './repack-plan';
import { sentWhole } from './test-sent';

/** Where every lane that was sent is carried, told apart by all that a device would notice: the slow way. */
function carriedAt(r: Reckoning): Map<string, string> {
  const at = new Map<string, string>();
  for (const [deviceId, lanes] of r.lanesByReceiver) {
    for (const [channel, lane] of lanes) {
      if (lane.verdict === 'refused') continue;
      const { reception, position, subscription } = lane;
      const { stream, legs, receiverStreamNumber } = reception;
      const { id, formatKey, channels, width, legs: sent } = stream;
      const groups = legs.map((leg) => r.groupsByStream.get(id)?.[leg]);
      const { senderDeviceId, senderChannel } = subscription;
      at.set(
        `${deviceId} ${channel}`,
        JSON.stringify([
          ...[senderDeviceId, senderChannel, id, position, receiverStreamNumber],
          ...[formatKey, channels, width, legs, sent, groups, r.plan.settings.rtpPort],
        ]),
      );
    }
  }
  return at;
}

/** Lanes that carried, and what a batch makes of them. */
function heldAgainst(before: Reckoning, after: Reckoning) {
  const [was, is] = [carriedAt(before), carriedAt(after)];
  const moved = new Set([...was].flatMap(([key, at]) => (is.get(key) === at ? [] : [key])));
  const told = new Set(interruptedLanes(before, after).map((l) => `${l.deviceId} ${l.channel}`));
  return { moved, told, lanes: was.size };
}

/** The lanes that batches changed themselves; where a receiver is fed in blocks those of the same block with them. */
function changedLanes(before: Plan, after: Plan): Set<string> {
  const text = (plan: Plan) =>
    new Map(
      [...plan.subscriptions].flatMap(([deviceId, own]) =>
        [...own].map(([channel, s]) => [`${deviceId} ${channel}`, `${s.senderDeviceId} ${s.senderChannel}`] as const),
      ),
    );
  const [was, is] = [text(before), text(after)];
  const changed = [...new Set([...was.keys(), ...is.keys()])].filter((key) => is.get(key) !== was.get(key));
  return new Set(
    changed.flatMap((key) => {
      const [deviceId = '', channel] = key.split(' ');
      const blockSize = modelOf(after, deviceId)?.receiveMap?.blockSize ?? 1;
      const first = Number(channel) - ((Number(channel) - 1) % blockSize);
      return Array.from({ length: blockSize }, (_, n) => `${deviceId} ${first + n}`);
    }),
  );
}

const PLANS: readonly Plan[] = [
  sentWhole(planOfFile(skerryPoint())),
  sentWhole(planOfFile(generatePlan({ devices: 40, seed: 3 }))),
  sentWhole(planOfFile(generatePlan({ devices: 60, seed: 11 }))),
];
const RECKONED = new Map(PLANS.map((plan) => [plan, reckon(plan)]));

/** An edit by somebody who works elsewhere in the plan: it decides nothing about what carries. */
function elsewhere(plan: Plan, seed: number): Command[] {
  const choices = choicesFrom(seed);
  const next = () => choices.next().value;
  const some = <T>(items: readonly T[]) => chosen(items, next()) as T;
  const ids = [...plan.devices.keys()];
  const receivers = ids.filter((id) => channelCount(plan, id, 'receive') > 0);
  const senders = ids.filter((id) => channelCount(plan, id, 'send') > 0);
  const what = Math.floor(next() * 5);
  const receiver = some(receivers);
  const count = channelCount(plan, receiver, 'receive');
  const first = 1 + Math.floor(next() * count);
  const run = Array.from({ length: Math.min(1 + Math.floor(next() * 12), count - first + 1) }, (_, n) => first + n);
  if (what === 0) return [{ kind: 'unsubscribe', channels: run.map((channel) => ({ deviceId: receiver, channel })) }];
  if (what === 1) return [{ kind: 'change-device', deviceId: receiver, change: { name: `renamed ${seed}` } }];
  const sender = some(senders.filter((id) => id !== receiver));
  const firstSent = 1 + Math.floor(next() * channelCount(plan, sender, 'send'));
  const subscriptions = run.flatMap((channel, n) => {
    const senderChannel = what === 2 ? firstSent : firstSent + n;
    if (senderChannel > channelCount(plan, sender, 'send')) return [];
    return [{ receiverDeviceId: receiver, receiverChannel: channel, senderDeviceId: sender, senderChannel }];
  });
  return subscriptions.length === 0 ? [] : [{ kind: 'subscribe', subscriptions }];
}

describe('law: nothing that carries is interrupted without being said', () => {
  test('after any batch the list has every lane that does not play on as it is, and no other', () => {
    let moved = 0;
    fc.assert(
      fc.property(
        fc.constantFrom(...PLANS),
        fc.array(arbitraryCommand(), { minLength: 1, maxLength: 4 }),
        (plan, make) => {
          const applied = applyCommands(
            plan,
            make.flatMap((m) => m(plan) ?? []),
          );
          fc.pre(applied.ok);
          const before = RECKONED.get(plan) as Reckoning;
          const held = heldAgainst(before, reckon(applied.plan, before));
          moved += held.moved.size;
          expect([...held.told].sort()).toEqual([...held.moved].sort());
        },
      ),
      { numRuns: 300 },
    );
    expect(moved).toBeGreaterThan(100);
  });

  test('feeding, clearing and renaming elsewhere, undo and redo, leave every lane that carries where it is', () => {
    let edits = 0;
    const failed: string[] = [];
    fc.assert(
      fc.property(fc.constantFrom(...PLANS), fc.array(fc.nat(), { minLength: 1, maxLength: 5 }), (plan, seeds) => {
        let now = RECKONED.get(plan) as Reckoning;
        const batches: Parameters<typeof inverseOf>[0][] = [];
        for (const seed of seeds) {
          const applied = applyCommands(now.plan, elsewhere(now.plan, seed));
          if (!applied.ok || applied.changes.length === 0) continue;
          batches.push(applied.changes);
          now = reckon(applied.plan, now);
          edits += 1;
        }
        const first = RECKONED.get(plan) as Reckoning;
        const changed = changedLanes(plan, now.plan);
        const lost = [...heldAgainst(first, now).moved].filter((key) => !changed.has(key));
        if (lost.length > 0) {
          const list = interruptedLanes(first, now).filter((l) => lost.includes(`${l.deviceId} ${l.channel}`));
          // A receiver with a second leg that comes to a stream adds that leg to it.
          const others = list.filter((l) => l.why.code !== 'legs');
          if (others.length > 0) failed.push(`${lost.slice(0, 2).join('; ')}: ${JSON.stringify(others[0]?.why)}`);
        }
        for (const changes of batches.reverse()) now = reckon(applyChanges(now.plan, inverseOf(changes)), now);
        if (heldAgainst(first, now).moved.size > 0) failed.push(`${seeds.join()}: undone`);
      }),
      { numRuns: 300 },
    );
    expect(edits).toBeGreaterThan(500);
    expect(failed).toEqual([]);
  });

  test('every way out of a finding, a repacking that may not interrupt, a copy and a merge keep to it', () => {
    for (const plan of PLANS.slice(0, 2)) {
      const first = RECKONED.get(plan) as Reckoning;
      const other = { ...plan, sentStreams: new Map(), streamEnds: new Map() };
      const merge = mergePlan(plan, other, new Set(MERGED_KINDS));
      expect(heldAgainst(first, reckon(copyOfPlan(plan, 'Copy'))).moved.size).toBe(0);
      const repack = planRepack(first, { mayInterrupt: false, goal: 'streams' });
      repack.work(() => false);
      for (const commands of [merge.commands, repack.commands()]) {
        const applied = applyCommands(plan, commands);
        if (!applied.ok) throw new Error(JSON.stringify(applied.problem));
        expect(heldAgainst(first, reckon(applied.plan)).moved.size).toBe(0);
      }
      for (const finding of first.findings) {
        for (const { commands } of provenFixes(first, finding)) {
          const applied = applyCommands(plan, commands);
          if (!applied.ok) throw new Error(JSON.stringify(applied.problem));
          const { moved, told } = heldAgainst(first, reckon(applied.plan, first));
          expect([...told].sort()).toEqual([...moved].sort());
        }
      }
    }
  });

  test('in a copy of a plan that carries, the yard amplifier fed from the boat moves no intercom and no narration', () => {
    const copy = copyOfPlan(PLANS[0] as Plan, 'Copy');
    const before = reckon(copy);
    const lane = {
      receiverDeviceId: 'dome-amp-6',
      receiverChannel: 1,
      senderDeviceId: 'yard-converter',
      senderChannel: 1,
    };
    const applied = applyCommands(copy, [{ kind: 'subscribe', subscriptions: [lane] }]);
    if (!applied.ok) throw new Error(JSON.stringify(applied.problem));
    expect(interruptedLanes(before, reckon(applied.plan, before))).toEqual([]);
  });
});
