import fc from 'fast-check';
import { skerryPoint } from '../../demo/skerry-point';
import { planOfFile } from '../formats/plan-file';
import { applyCommands } from '../plan/apply-commands';
import type { Command } from '../plan/commands';
import type { Plan } from '../plan/plan';
import { arbitraryPlan } from '../plan/test-arbitrary';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';
import { reckon } from '../reckon/reckon';
import type { Reckoning } from '../reckon/reckoning';
import { channelAt, feedersOf, nodeOf } from '../signal/graph';
import { hopBetween } from '../signal/hop';
import { possibleHopsFrom, type PossibleHop, type TerminalAt } from './possible-hops';

const hopsFrom = (plan: Plan, deviceId: string, terminalId: string) =>
  possibleHopsFrom(reckon(plan), { deviceId, terminalId });

const textOf = ({ deviceId, terminalId }: TerminalAt) => `${deviceId}/${terminalId}`;
const named = (hops: readonly PossibleHop[]) => hops.map((h) => `${h.kind} ${textOf(h.to)} ${h.free} of ${h.most}`);

function terminalsOfPlan({ signal }: Reckoning): TerminalAt[] {
  return [...signal.parts].flatMap(([deviceId, { terminals }]) =>
    terminals.map((t) => ({ deviceId, terminalId: t.id })),
  );
}

describe('what could lead on from a terminal', () => {
  test('an AES3 output goes by cable into AES3 inputs and no MADI; what is cabled is no longer free', () => {
    const plan = planOf({ a: modelNamed('converter-64'), b: modelNamed('converter-64') });
    expect(named(hopsFrom(plan, 'a', 'aes3-out'))).toEqual(['cable a/aes3-in 8 of 8', 'cable b/aes3-in 8 of 8']);
    const cable = { id: 'c', name: 'c', format: 'AES3', kind: 'balanced', grade: null, metres: null } as const;
    const plugs = { fromPlug: null, toPlug: null, adapter: null, attenuationDb: null };
    const [from, to] = [
      { deviceId: 'a', terminalId: 'aes3-out', channel: 1 },
      { deviceId: 'b', terminalId: 'aes3-in', channel: 3 },
    ];
    const cabled = apply(plan, { kind: 'put-audio-cable', cable: { ...cable, ...plugs, channels: 2, from, to } });
    expect(named(hopsFrom(cabled, 'a', 'aes3-out'))).toEqual(['cable a/aes3-in 6 of 8', 'cable b/aes3-in 6 of 8']);
  });

  test('a lane goes to whom a sender has a format and a leg in common with, while there are channels and streams', () => {
    const one = modelNamed('amp-8', { streamsReceive: 1 });
    const plan = planOf({ box: modelNamed('stage-box-24'), desk: modelNamed('console-72'), amp: one });
    const toAmp = (p: Plan, from: string) => named(hopsFrom(p, from, 'network-out')).find((h) => h.includes('amp/'));
    expect(toAmp(plan, 'box')).toBe('lane amp/network-in 8 of 8');
    const fed = apply(plan, feed('box', 1, 'amp', 1, 3));
    // Its only stream is the stage box's: that may carry more, and the console's none.
    expect(toAmp(fed, 'box')).toBe('lane amp/network-in 5 of 8');
    expect(toAmp(fed, 'desk')).toBe('lane amp/network-in 0 of 8');
    const apart = planOf({ box: modelNamed('stage-box-24'), amp: [one, { rateHz: 96_000 }] });
    expect(toAmp(apart, 'box')).toBeUndefined();
  });

  test('within a console strips go to buses by sends and to its outputs as they can be patched', () => {
    const plan = planOf({ desk: modelNamed('console-72') });
    expect(
      hopsFrom(plan, 'desk', 'strips')
        .map((h) => `${h.kind} ${h.to.terminalId}`)
        .sort(),
    ).toEqual(['normal direct', 'patch direct', 'patch monitor', 'send buses']);
  });

  test('law: every step that a plan has is among those that it could have', () => {
    const seen = new Set<string>();
    const look = (plan: Plan) => {
      const reckoning = reckon(plan);
      const { signal: graph, lanesByReceiver } = reckoning;
      const signals = { graph, plan, laneOf: (id: string, n: number) => lanesByReceiver.get(id)?.get(n) };
      const possible = new Map(terminalsOfPlan(reckoning).map((t) => [textOf(t), possibleHopsFrom(reckoning, t)]));
      const missing: string[] = [];
      for (let node = 0; node < graph.size; node += 1) {
        const { terminal } = channelAt(graph, node);
        for (const source of feedersOf(graph, node)) {
          const { kind, from, to } = hopBetween(signals, source, node);
          if (kind === 'cable' && [terminal.kind, from.terminal.kind].includes('computer')) continue;
          const isThere = possible
            .get(textOf(from))
            ?.some((h) => textOf(h.to) === textOf(to) && h.kind === kind && h.most > 0);
          if (isThere !== true) missing.push(`${kind} ${textOf(from)} ${textOf(to)}`);
          seen.add(kind);
        }
      }
      expect(missing).toEqual([]);
    };
    look(planOfFile(skerryPoint()));
    fc.assert(fc.property(arbitraryPlan(4), look), { numRuns: 15 });
    expect([...seen].sort()).toEqual(['cable', 'lane', 'mix', 'normal', 'patch', 'send', 'slot']);
  });

  test('law: what is free can be taken: the command is accepted, the channel is fed by it, and no lane is refused that was not', () => {
    const plan = planOfFile(skerryPoint());
    const before = reckon(plan);
    const hops = terminalsOfPlan(before).flatMap((end) => possibleHopsFrom(before, end));
    const isTakenHere = (kind: string): kind is keyof typeof TAKEN => kind in TAKEN;
    const wrong: string[] = [];
    for (const hop of hops) {
      const { kind } = hop;
      if (hop.free === 0 || !isTakenHere(kind)) continue;
      const [from, to] = freePair(before, hop);
      if (from === 0) continue; // Its receiver receives all of them already.
      const result = applyCommands(plan, [TAKEN[kind](hop, from, to)]);
      const words = `${kind} ${textOf(hop.from)} ${from} to ${textOf(hop.to)} ${to}`;
      if (!result.ok) {
        wrong.push(`${words}: ${result.problem.reason}`);
        continue;
      }
      const { signal, totals } = reckon(result.plan, before);
      const source = nodeOf(signal, { ...hop.from, channel: from });
      if (!feedersOf(signal, nodeOf(signal, { ...hop.to, channel: to })).includes(source))
        wrong.push(`${words}: not fed`);
      if (totals.refusedLanes > before.totals.refusedLanes) wrong.push(`${words}: refuses`);
    }
    expect(wrong.slice(0, 20)).toEqual([]);
  });
});

/** A channel of each end that nothing is planned of. */
function freePair({ plan, signal, signalFlow }: Reckoning, { from, to, kind }: PossibleHop): [number, number] {
  const first = (end: TerminalAt, isFree: (channel: number, node: number) => boolean): number => {
    const count = signal.parts.get(end.deviceId)?.terminals.find((t) => t.id === end.terminalId)?.channels ?? 0;
    for (let channel = 1; channel <= count; channel += 1)
      if (isFree(channel, nodeOf(signal, { ...end, channel }))) return channel;
    return 0;
  };
  const isPlugged = (end: TerminalAt, channel: number) =>
    plan.pluggedIn.get(end.deviceId)?.has(`${end.terminalId}/${channel}`) === true;
  const cabled = new Set(
    [...plan.audioCables.values()].flatMap((c) =>
      Array.from({ length: c.channels }, (_, n) => nodeOf(signal, { ...c.from, channel: c.from.channel + n })),
    ),
  );
  if (kind === 'cable') {
    return [
      first(from, (c, node) => !cabled.has(node) && !isPlugged(from, c)),
      first(to, (c, node) => (signal.feeders[node] as number) < 0 && !isPlugged(to, c)),
    ];
  }
  if (kind === 'lane') {
    const lanes = plan.subscriptions.get(to.deviceId);
    const isReceived = (channel: number) =>
      [...(lanes?.values() ?? [])].some((s) => s.senderDeviceId === from.deviceId && s.senderChannel === channel);
    return [first(from, (c) => !isReceived(c)), first(to, (c) => lanes?.has(c) !== true)];
  }
  const isSilent = (_: number, node: number) =>
    signalFlow.byDevice.get(to.deviceId)?.isFed[node - (signal.firstNode.get(to.deviceId) ?? 0)] !== 1;
  return [1, kind === 'send' ? 1 : first(to, isSilent)];
}

const TAKEN = {
  cable: (hop: PossibleHop, from: number, to: number): Command => ({
    kind: 'put-audio-cable',
    cable: {
      id: 'taken',
      name: 'Taken',
      from: { ...hop.from, channel: from },
      to: { ...hop.to, channel: to },
      channels: 1,
      format: hop.formats[0] ?? 'line',
      kind: 'balanced',
      grade: null,
      metres: null,
      fromPlug: null,
      toPlug: null,
      adapter: null,
      attenuationDb: null,
    },
  }),
  lane: (hop: PossibleHop, from: number, to: number): Command => feed(hop.from.deviceId, from, hop.to.deviceId, to),
  patch: (hop: PossibleHop, from: number, to: number): Command => ({
    kind: 'put-patch',
    patch: { ...hop.to, channel: to, from: { terminalId: hop.from.terminalId, channel: from }, tap: null },
  }),
  send: (hop: PossibleHop, from: number, to: number): Command => ({
    kind: 'put-bus-send',
    send: {
      ...hop.to,
      channel: to,
      fromTerminalId: hop.from.terminalId,
      fromChannel: from,
      tap: null,
      isOn: true,
      levelDb: null,
    },
  }),
};
