import type { PlanOf } from '../plan/plan';
import type { Facts } from '../reckon/facts';
import { blockOf, isBlockWhole } from '../patch/blocks';
import { NOBODY, terminalIndexAt, type DevicePart } from '../signal/device-part';
import { channelAt, feedersOf, nodeOf, type SignalGraph } from '../signal/graph';
import { channelMisfits } from '../signal/level-checks';
import type { SignalEnd } from '../signal/signal-end';
import { TAPS, type Tap } from '../signal/terminal-shape';
import { NETWORK_OUT, type Terminal } from '../signal/terminals';
import type { Finding } from './finding';
import { SIGNAL_WAYS } from './signal-fixes';
import { rule, waysOf } from './rule';

const endOf = ({ deviceId, terminalId, channel }: SignalEnd): SignalEnd => ({ deviceId, terminalId, channel });
const textOf = ({ deviceId, terminalId, channel }: SignalEnd) => `${deviceId}|${terminalId}|${channel}`;

/** Where a sound is taken when nothing is said: after everything that the strip or bus offers. */
export function usualTap(terminal: Terminal): Tap | null {
  return TAPS.filter((t) => terminal.taps.includes(t)).at(-1) ?? null;
}

/** Where the sound that goes from one channel of a device to another is taken. */
function tapBetween(
  plan: PlanOf<'patches' | 'busSends'>,
  from: SignalEnd & { terminal: Terminal },
  to: SignalEnd,
): Tap | null {
  const fed = `${to.terminalId}/${to.channel}`;
  const send = plan.busSends.get(to.deviceId)?.get(`${fed}/${from.terminalId}/${from.channel}`);
  return (send ?? plan.patches.get(to.deviceId)?.get(fed))?.tap ?? usualTap(from.terminal);
}

export const loopRule = rule({
  finds: waysOf(SIGNAL_WAYS, 'feedback-loop'),
  reads: ['signal', 'signalFlow', 'patches', 'busSends'],
  find: ({ signal, signalFlow, ...plan }) =>
    signalFlow.loops.map((nodes): Finding => {
      const ring = nodes.map((node) => channelAt(signal, node));
      const hasFader = ring.some((from, n) => {
        const to = ring[(n + 1) % ring.length] as (typeof ring)[number];
        const tap = from.deviceId === to.deviceId && to.terminal.direction !== 'in' ? tapBetween(plan, from, to) : null;
        return tap === 'after-fader' || tap === 'after-mute';
      });
      return {
        id: `loop|${textOf(ring[0] as SignalEnd)}`,
        severity: hasFader ? 'caution' : 'refusal',
        area: 'patch',
        deviceIds: [...new Set(ring.map((end) => end.deviceId))],
        about: 'feedback-loop',
        ring: ring.map(endOf),
        hasFader,
      };
    }),
});

/** What a sound takes from where it comes from to a channel, back along single feeds. Figures that no model states count as none. */
function delayToRoot(
  { signal, lanesByReceiver }: Pick<Facts, 'signal' | 'lanesByReceiver'>,
  node: number,
  root: number,
): number {
  let sum = 0;
  for (let at = node; at !== root;) {
    const { terminal, deviceId, channel } = channelAt(signal, at);
    sum += terminal.delayNs ?? 0;
    if (terminal.kind === 'network' && terminal.direction === 'in') {
      sum += lanesByReceiver.get(deviceId)?.get(channel)?.hearing?.offset.offsetNs ?? 0;
    }
    at = signal.feeders[at] as number;
    if (at === NOBODY) break;
  }
  return sum;
}

/** Buses of one list of feeders (a matrix) are looked at once. Nested buses are opened, each once for every bus that is looked at. */
function* doubles(now: Pick<Facts, 'signal' | 'signalFlow' | 'lanesByReceiver'>): Iterable<Finding> {
  const { signal, signalFlow } = now;
  const { roots } = signalFlow;
  const looked = new Set<Int32Array>();
  // By source: the bus that saw it last, and the feeder and the delay up to that feeder's root with which it did.
  const seenBy = new Int32Array(signal.size).fill(NOBODY);
  const seenFrom = new Int32Array(signal.size);
  for (const [bus, feeders] of signal.mixes) {
    if (looked.has(feeders)) continue;
    looked.add(feeders);
    const found = new Set<number>();
    const left = [...feeders].map((node) => ({ node, feeder: node, soFar: [] as readonly number[] }));
    const opened = new Map<number, readonly number[]>();
    const ways = new Map<number, readonly number[]>();
    for (let one = left.pop(); one !== undefined; one = left.pop()) {
      const root = roots[one.node] as number;
      const way = [...one.soFar, one.node];
      if (root === bus) continue; // it comes back to itself: a loop, told as one
      if (seenBy[root] === bus && seenFrom[root] !== one.feeder && !found.has(root)) {
        const first = seenFrom[root] as number;
        const delayOf = (nodes: readonly number[]) => {
          let sum = 0;
          for (const node of nodes) sum += delayToRoot(now, node, roots[node] as number);
          return sum;
        };
        const both = [
          { feeder: first, delayNs: delayOf(ways.get(root) ?? [first]) },
          { feeder: one.feeder, delayNs: delayOf(way) },
        ].sort((a, b) => a.delayNs - b.delayNs || a.feeder - b.feeder);
        const [early, late] = both as [(typeof both)[0], (typeof both)[0]];
        if (early.delayNs !== late.delayNs) {
          found.add(root);
          const end = endOf(channelAt(signal, bus));
          const source = endOf(channelAt(signal, root));
          yield {
            id: `twice|${textOf(end)}|${textOf(source)}`,
            severity: 'caution',
            area: 'patch',
            deviceIds: [...new Set([end.deviceId, source.deviceId])],
            about: 'same-sound-twice',
            bus: end,
            source,
            feeders: [endOf(channelAt(signal, early.feeder)), endOf(channelAt(signal, late.feeder))],
            delaysNs: [early.delayNs, late.delayNs],
          };
        }
      }
      if (seenBy[root] !== bus) {
        seenBy[root] = bus;
        seenFrom[root] = one.feeder;
        ways.set(root, way);
      }
      const nested = signal.mixes.get(root);
      if (nested === undefined || opened.has(root)) continue;
      opened.set(root, way);
      for (const node of nested) left.push({ node, feeder: one.feeder, soFar: way });
    }
  }
}

export const doubleRule = rule({
  finds: waysOf(SIGNAL_WAYS, 'same-sound-twice'),
  reads: ['signal', 'signalFlow', 'lanesByReceiver'],
  find: (now) => [...doubles(now)].sort((a, b) => (a.id < b.id ? -1 : 1)),
});

/** By device and terminal the channels for which something holds. */
function byTerminal(signal: SignalGraph, nodes: Iterable<number>): Map<string, SignalEnd & { channels: number[] }> {
  const found = new Map<string, SignalEnd & { channels: number[] }>();
  for (const node of nodes) {
    const end = channelAt(signal, node);
    const key = `${end.deviceId}|${end.terminalId}`;
    const known = found.get(key);
    if (known === undefined) found.set(key, { ...endOf(end), channels: [end.channel] });
    else known.channels.push(end.channel);
  }
  for (const { channels } of found.values()) channels.sort((a, b) => a - b);
  return found;
}

/** The outputs of devices with a planned inside that somebody is subscribed to, cabled to or plugged into. */
function* outputsInUse({
  signal,
  wishes,
  audioCables,
  pluggedIn,
}: Pick<Facts, 'signal' | 'wishes' | 'audioCables' | 'pluggedIn'>): Iterable<number> {
  const isPlanned = (id: string) => signal.parts.get(id)?.isPlanned === true;
  for (const [deviceId, part] of signal.parts) {
    if (!part.isPlanned) continue;
    for (const receiverId of wishes.hearersBySender.get(deviceId) ?? []) {
      for (const { senderChannel } of wishes.byReceiver.get(receiverId)?.bySender.get(deviceId) ?? []) {
        yield nodeOf(signal, { deviceId, terminalId: NETWORK_OUT, channel: senderChannel });
      }
    }
    for (const plugged of pluggedIn.get(deviceId)?.values() ?? []) yield nodeOf(signal, plugged);
  }
  for (const { from, channels } of audioCables.values()) {
    if (!isPlanned(from.deviceId)) continue;
    for (let n = 0; n < channels; n += 1) yield nodeOf(signal, { ...from, channel: from.channel + n });
  }
}

export const deadEndRule = rule({
  finds: waysOf(SIGNAL_WAYS, 'fed-by-nothing', 'heard-by-nobody'),
  reads: ['signal', 'signalFlow', 'wishes', 'audioCables', 'pluggedIn'],
  find: (now) => {
    const { signal, signalFlow, pluggedIn } = now;
    const silent = new Set<number>();
    for (const node of outputsInUse(now)) if (node !== NOBODY && signalFlow.isFed[node] === 0) silent.add(node);
    const unheard: number[] = [];
    for (const own of pluggedIn.values()) {
      for (const plugged of own.values()) {
        const node = nodeOf(signal, plugged);
        if (node === NOBODY || channelAt(signal, node).terminal.direction !== 'in') continue;
        if (signalFlow.isHeard[node] === 0) unheard.push(node);
      }
    }
    const findings: Finding[] = [];
    for (const [about, severity, nodes] of [
      ['fed-by-nothing', 'caution', silent],
      ['heard-by-nobody', 'note', unheard],
    ] as const) {
      for (const [key, { deviceId, terminalId, channels }] of byTerminal(signal, nodes)) {
        findings.push({
          id: `${about}|${key}`,
          severity,
          area: 'patch',
          deviceIds: [deviceId],
          about,
          terminalId,
          channels,
        });
      }
    }
    return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
  },
});

export const blockRule = rule({
  finds: waysOf(SIGNAL_WAYS, 'patch-block'),
  reads: ['signalParts'],
  find: ({ signalParts }) =>
    [...signalParts.values()].flatMap((part) => brokenBlocks(part)).sort((a, b) => (a.id < b.id ? -1 : 1)),
});

function brokenBlocks(part: DevicePart): Finding[] {
  if (part.patches === undefined) return [];
  return part.terminals.flatMap((t, n) => {
    if (t.blockSize === 1 || t.hasExceptions || t.direction === 'in') return [];
    const first = part.firstNode[n] as number;
    const found: Finding[] = [];
    for (let at = 1; at <= t.channels; at += t.blockSize) {
      const { channels } = blockOf(t, at);
      const feeders = channels.map((c) => {
        const from = part.feeders[first + c - 1] as number;
        if (from === NOBODY) return null;
        const k = terminalIndexAt(part, from);
        return { terminalId: (part.terminals[k] as Terminal).id, channel: from - (part.firstNode[k] as number) + 1 };
      });
      if (isBlockWhole(t.blockSize, feeders)) continue;
      found.push({
        id: `block|${part.deviceId}|${t.id}|${at}`,
        severity: 'refusal',
        area: 'patch',
        deviceIds: [part.deviceId],
        about: 'patch-block',
        terminalId: t.id,
        channels,
        blockSize: t.blockSize,
      });
    }
    return found;
  });
}

export const tapRule = rule({
  finds: waysOf(SIGNAL_WAYS, 'tap-too-late'),
  reads: ['signal', 'patches', 'busSends', 'channelSettings'],
  find: ({ signal, channelSettings, ...plan }) => {
    const findings: Finding[] = [];
    for (const own of channelSettings.values()) {
      for (const settings of own.values()) {
        const node = nodeOf(signal, settings);
        if (settings.asksTap === null || node === NOBODY) continue;
        const to = channelAt(signal, node);
        if (to.terminal.direction === 'in') continue;
        for (const source of feedersOf(signal, node)) {
          const from = channelAt(signal, source);
          const taken = tapBetween(plan, from, to);
          if (taken === null || TAPS.indexOf(taken) <= TAPS.indexOf(settings.asksTap)) continue;
          findings.push({
            id: `tap|${textOf(to)}|${textOf(from)}`,
            severity: 'caution',
            area: 'patch',
            deviceIds: [to.deviceId],
            about: 'tap-too-late',
            fed: endOf(to),
            from: endOf(from),
            asked: settings.asksTap,
            taken,
          });
        }
      }
    }
    return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
  },
});

export const socketRule = rule({
  finds: waysOf(SIGNAL_WAYS, 'socket-used-twice'),
  reads: ['audioCables', 'pluggedIn'],
  find: ({ audioCables, pluggedIn }) => {
    const bySocket = new Map<string, { end: SignalEnd; cableIds: string[]; plugged: string | null }>();
    for (const { id, to, channels } of [...audioCables.values()].sort((a, b) => (a.id < b.id ? -1 : 1))) {
      for (let n = 0; n < channels; n += 1) {
        const end = { ...to, channel: to.channel + n };
        const plugged = pluggedIn.get(end.deviceId)?.get(`${end.terminalId}/${end.channel}`)?.name ?? null;
        const known = bySocket.get(textOf(end));
        if (known === undefined) bySocket.set(textOf(end), { end, cableIds: [id], plugged });
        else known.cableIds.push(id);
      }
    }
    return [...bySocket]
      .filter(([, { cableIds, plugged }]) => cableIds.length > 1 || plugged !== null)
      .map(([key, { end, cableIds, plugged }]): Finding => ({
        id: `socket|${key}`,
        severity: 'refusal',
        area: 'patch',
        deviceIds: [end.deviceId],
        about: 'socket-used-twice',
        terminalId: end.terminalId,
        channel: end.channel,
        cableIds,
        plugged,
      }))
      .sort((a, b) => (a.id < b.id ? -1 : 1));
  },
});

/** What breaks or distorts is refused; what only sounds wrong is a caution. */
const REFUSED: ReadonlySet<string> = new Set(['phantom-into-output', 'no-powering', 'load-too-low']);

export const analogueRule = rule({
  finds: waysOf(SIGNAL_WAYS, 'analogue-end'),
  reads: ['signal', 'pluggedIn', 'audioCables', 'channelSettings', 'busSends'],
  find: ({ signal, audioCables, ...plan }) => {
    const nodes = new Set<number>();
    for (const own of plan.pluggedIn.values()) for (const plugged of own.values()) nodes.add(nodeOf(signal, plugged));
    for (const { to, channels } of audioCables.values()) {
      for (let n = 0; n < channels; n += 1) nodes.add(nodeOf(signal, { ...to, channel: to.channel + n }));
    }
    nodes.delete(NOBODY);
    const findings = [...nodes].flatMap((node) => {
      const end = channelAt(signal, node);
      return channelMisfits({ graph: signal, plan }, node).map((misfit): Finding => ({
        id: `analogue|${textOf(end)}|${misfit.code}`,
        severity: REFUSED.has(misfit.code) ? 'refusal' : 'caution',
        area: 'patch',
        deviceIds: [end.deviceId],
        about: 'analogue-end',
        terminalId: end.terminalId,
        channel: end.channel,
        misfit,
      }));
    });
    return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
  },
});
