import type { PlanOf } from '../plan/plan';
import type { Facts } from '../reckon/facts';
import { groupDelay } from '../delay/coherence';
import { blockOf, isBlockWhole } from '../patch/blocks';
import { bitBreaks } from '../signal/bit-true';
import { cablesBySocket, textOfEnd } from '../signal/cabled';
import { NOBODY, terminalIndexAt, type DevicePart } from '../signal/device-part';
import { channelAt, deviceIndexAt, feedersOf, listOf, nodeOf } from '../signal/graph';
import type { DeviceFlow } from '../signal/flow';
import { isSource, type PluggedIn } from '../signal/plugged-in-table';
import { channelMisfits } from '../signal/level-checks';
import type { SignalEnd } from '../signal/signal-end';
import { TAPS, type Tap } from '../signal/terminal-shape';
import type { Terminal } from '../signal/terminals';
import type { Finding } from './finding';
import { SIGNAL_WAYS } from './signal-fixes';
import { rule, waysOf } from './rule';

const endOf = ({ deviceId, terminalId, channel }: SignalEnd): SignalEnd => ({ deviceId, terminalId, channel });

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
        id: `loop|${textOfEnd(ring[0] as SignalEnd)}`,
        severity: hasFader ? 'caution' : 'refusal',
        area: 'patch',
        deviceIds: [...new Set(ring.map((end) => end.deviceId))],
        about: 'feedback-loop',
        ring: ring.map(endOf),
        hasFader,
      };
    }),
});

type Now = Pick<Facts, 'signal' | 'signalFlow' | 'lanesByReceiver'>;

/** What a sound takes from where it comes from to a channel, back along single feeds. Figures that no model states count as none. */
function delayToRoot({ signal, lanesByReceiver }: Now, node: number, root: number): number {
  let sum = 0;
  for (let at = node; at !== root;) {
    const { terminal, deviceId, channel } = channelAt(signal, at);
    sum += terminal.delayNs ?? 0;
    if (terminal.kind === 'network' && terminal.direction === 'in') {
      sum += lanesByReceiver.get(deviceId)?.get(channel)?.hearing?.offset.offsetNs ?? 0;
    }
    at = signal.feeders[at] as number;
    if (at < 0) break;
  }
  return sum;
}

/** One way into a bus: the channels between the buses on it, the nearest first. */
interface WayIn {
  readonly feeder: number;
  readonly nodes: readonly number[];
}
interface Double {
  readonly bus: number;
  readonly source: number;
  readonly ways: readonly [WayIn, WayIn];
}
interface Doubles {
  readonly part: DevicePart;
  /** What was looked at of other devices: those whose buses go into these. */
  readonly others: readonly (readonly [deviceId: string, flow: DeviceFlow])[];
  readonly found: readonly Double[];
}

const doublesByFlow = new WeakMap<DeviceFlow, Doubles>();

/**
 * Sounds that reach a bus of a device on two ways. Only buses that strips are sent to: a matrix or renderer, in which everything can reach
 * everything, says nothing of what does, and is looked at as one sound. Buses that go into a bus are opened, each once.
 */
function doublesOf({ signal, signalFlow }: Now, part: DevicePart, flow: DeviceFlow): Doubles {
  const known = doublesByFlow.get(flow);
  if (known?.part === part && known.others.every(([id, f]) => signalFlow.byDevice.get(id) === f)) return known;
  const first = signal.firstNode.get(part.deviceId) as number;
  const others = new Map<string, DeviceFlow>();
  const found: Double[] = [];
  const rootOf = (node: number): number => {
    const own = node - first;
    if (own >= 0 && own < part.size) return flow.roots[own] as number;
    const id = signal.deviceIds[deviceIndexAt(signal, node)] as string;
    const other = signalFlow.byDevice.get(id);
    if (other !== undefined) others.set(id, other);
    return other?.roots[node - (signal.firstNode.get(id) as number)] ?? node;
  };
  for (const [n, t] of part.terminals.entries()) {
    if (t.kind !== 'bus' || t.mixes !== null) continue;
    for (let c = 0; c < t.channels; c += 1) {
      const bus = first + (part.firstNode[n] as number) + c;
      const list = listOf(signal, bus);
      if (list === null || list.length < 2 || list.every((node) => signal.feeders[node] === NOBODY)) continue;
      const seen = new Map<number, WayIn>();
      const told = new Set<number>();
      const opened = new Set([bus]);
      const left: WayIn[] = Array.from(list, (node) => ({ feeder: node, nodes: [node] }));
      for (let way = left.pop(); way !== undefined; way = left.pop()) {
        const root = rootOf(way.nodes[way.nodes.length - 1] as number);
        if (root === bus) continue; // it comes back to itself: a loop, told as one
        const before = seen.get(root);
        if (before === undefined) seen.set(root, way);
        else if (before.feeder !== way.feeder && !told.has(root)) {
          told.add(root);
          found.push({ bus, source: root, ways: [before, way] });
        }
        if (opened.has(root)) continue;
        opened.add(root);
        const nested = listOf(signal, root);
        if (nested === null || channelAt(signal, root).terminal.mixes !== null) continue;
        for (const node of nested) left.push({ feeder: way.feeder, nodes: [...way.nodes, node] });
      }
    }
  }
  const doubles = { part, others: [...others], found };
  doublesByFlow.set(flow, doubles);
  return doubles;
}

export const doubleRule = rule({
  finds: waysOf(SIGNAL_WAYS, 'same-sound-twice'),
  reads: ['signal', 'signalFlow', 'lanesByReceiver'],
  find: (now) => {
    const { signal, signalFlow } = now;
    const rootOf = (node: number) => {
      const id = signal.deviceIds[deviceIndexAt(signal, node)] as string;
      return signalFlow.byDevice.get(id)?.roots[node - (signal.firstNode.get(id) as number)] ?? node;
    };
    const findings: Finding[] = [];
    for (const part of signal.parts.values()) {
      const flow = part.sends === undefined ? undefined : signalFlow.byDevice.get(part.deviceId);
      if (flow === undefined) continue;
      for (const { bus, source, ways } of doublesOf(now, part, flow).found) {
        const timed = ways.map(({ feeder, nodes }) => ({
          feeder: endOf(channelAt(signal, feeder)),
          delayNs: nodes.reduce((sum, node) => sum + delayToRoot(now, node, rootOf(node)), 0),
        }));
        timed.sort((a, b) => a.delayNs - b.delayNs);
        const [early, late] = timed as [(typeof timed)[0], (typeof timed)[0]];
        if (early.delayNs === late.delayNs) continue;
        const [busEnd, sourceEnd] = [bus, source].map((node) => endOf(channelAt(signal, node))) as [
          SignalEnd,
          SignalEnd,
        ];
        findings.push({
          id: `twice|${textOfEnd(busEnd)}|${textOfEnd(sourceEnd)}`,
          severity: 'caution',
          area: 'patch',
          deviceIds: [...new Set([busEnd.deviceId, sourceEnd.deviceId])],
          about: 'same-sound-twice',
          bus: busEnd,
          source: sourceEnd,
          feeders: [early.feeder, late.feeder],
          delaysNs: [early.delayNs, late.delayNs],
        });
      }
    }
    return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
  },
});

interface DeadEnds {
  readonly part: DevicePart;
  readonly plugged: ReadonlyMap<string, PluggedIn> | undefined;
  readonly findings: readonly Finding[];
}

const deadEndsByFlow = new WeakMap<DeviceFlow, DeadEnds>();

/** Outputs of a device with a planned inside that a sink would hear and no source reaches; sources that no sink hears. */
function deadEndsOf(part: DevicePart, plugged: DeadEnds['plugged'], flow: DeviceFlow): readonly Finding[] {
  const known = deadEndsByFlow.get(flow);
  if (known?.part === part && known.plugged === plugged) return known.findings;
  const findings: Finding[] = [];
  const { deviceId } = part;
  const find = (about: 'fed-by-nothing' | 'heard-by-nobody', terminalId: string, channels: readonly number[]) => {
    if (channels.length === 0) return;
    const severity = about === 'fed-by-nothing' ? 'caution' : 'note';
    const id = `${about}|${deviceId}|${terminalId}`;
    findings.push({ id, severity, area: 'patch', deviceIds: [deviceId], about, terminalId, channels });
  };
  for (const [n, t] of part.terminals.entries()) {
    const first = part.firstNode[n] as number;
    const channels = Array.from({ length: t.channels }, (_, c) => c + 1);
    // Programs may record silence; where a sound of the plan should come, its sender tells.
    if (t.direction === 'out' && t.kind !== 'computer' && part.isPlanned) {
      const isSilent = (c: number) => flow.isHeard[first + c - 1] === 1 && flow.isFed[first + c - 1] === 0;
      find('fed-by-nothing', t.id, channels.filter(isSilent));
    }
    if (t.direction === 'in' && plugged !== undefined) {
      const isUnheard = (c: number) => plugged.has(`${t.id}/${c}`) && flow.isHeard[first + c - 1] === 0;
      find('heard-by-nobody', t.id, channels.filter(isUnheard));
    }
  }
  deadEndsByFlow.set(flow, { part, plugged, findings });
  return findings;
}

export const deadEndRule = rule({
  finds: waysOf(SIGNAL_WAYS, 'fed-by-nothing', 'heard-by-nobody'),
  reads: ['signalParts', 'signalFlow', 'pluggedIn'],
  find: ({ signalParts, signalFlow, pluggedIn }) => {
    const findings: Finding[] = [];
    for (const [id, part] of signalParts) {
      const plugged = pluggedIn.get(id);
      const flow = part.isPlanned || plugged !== undefined ? signalFlow.byDevice.get(id) : undefined;
      if (flow !== undefined) findings.push(...deadEndsOf(part, plugged, flow));
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
            id: `tap|${textOfEnd(to)}|${textOfEnd(from)}`,
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
    const bySocket = cablesBySocket(audioCables);
    return [...bySocket]
      .flatMap(([key, cables]): Finding[] => {
        const [deviceId = '', terminalId = '', channel = ''] = key.split('|');
        const plugged = pluggedIn.get(deviceId)?.get(`${terminalId}/${channel}`)?.name ?? null;
        if (cables.length === 1 && plugged === null) return [];
        return [
          {
            id: `socket|${key}`,
            severity: 'refusal',
            area: 'patch',
            deviceIds: [deviceId],
            about: 'socket-used-twice',
            terminalId,
            channel: Number(channel),
            cableIds: cables.map((c) => c.id),
            plugged,
          },
        ];
      })
      .sort((a, b) => (a.id < b.id ? -1 : 1));
  },
});

export const payloadRule = rule({
  finds: waysOf(SIGNAL_WAYS, 'payload-broken'),
  reads: ['pluggedIn', 'signal', 'lanesByReceiver', 'modelled'],
  find: ({ pluggedIn, signal, lanesByReceiver, modelled }) => {
    const laneOf = (id: string, channel: number) => lanesByReceiver.get(id)?.get(channel);
    const findings: Finding[] = [];
    for (const own of pluggedIn.values()) {
      for (const plugged of own.values()) {
        if (plugged.payload !== 'data-reduced' || !isSource(plugged.kind)) continue;
        for (const { at, because } of bitBreaks(signal, modelled, laneOf, plugged)) {
          findings.push({
            id: `payload|${textOfEnd(plugged)}|${textOfEnd(at)}`,
            severity: 'refusal',
            area: 'patch',
            deviceIds: [...new Set([at.deviceId, plugged.deviceId])],
            about: 'payload-broken',
            source: endOf(plugged),
            at,
            because,
          });
        }
      }
    }
    return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
  },
});

/** A sample at 48 kHz: nearer than that nobody hears them apart. */
const TOGETHER_NS = 20_833;

export const coherenceRule = rule({
  finds: waysOf(SIGNAL_WAYS, 'coherence-apart'),
  reads: ['coherenceGroups', 'signal', 'lanesByReceiver', 'gear', 'models'],
  find: ({ coherenceGroups, gear, ...facts }) =>
    [...coherenceGroups.values()]
      .flatMap((group): Finding[] => {
        const { members, sharedNs, spreadNs } = groupDelay({ ...facts, devices: gear }, group);
        if (spreadNs < TOGETHER_NS) return [];
        const offsets = members.flatMap((m) => m.offsetNs ?? []);
        return [
          {
            id: `together|${group.id}`,
            severity: 'caution',
            area: 'patch',
            deviceIds: [...new Set(group.members.map((m) => m.deviceId))],
            about: 'coherence-apart',
            groupId: group.id,
            spreadNs,
            offsetsNs: offsets.length === 0 ? null : [Math.min(...offsets), Math.max(...offsets)],
            sharedNs,
          },
        ];
      })
      .sort((a, b) => (a.id < b.id ? -1 : 1)),
});

/** What breaks or distorts is refused; what only sounds wrong is a caution. */
const REFUSED: ReadonlySet<string> = new Set(['phantom-into-output', 'no-powering', 'load-too-low']);

export const analogueRule = rule({
  finds: waysOf(SIGNAL_WAYS, 'analogue-end'),
  // No lane is read: an edit of lanes leaves this as it is.
  reads: ['modelled', 'pluggedIn', 'audioCables', 'channelSettings', 'busSends'],
  find: ({ modelled, ...tables }) => {
    const plan = { ...modelled, ...tables };
    const ends = new Map<string, SignalEnd>();
    for (const own of plan.pluggedIn.values()) {
      for (const plugged of own.values()) ends.set(textOfEnd(plugged), endOf(plugged));
    }
    for (const { to, channels } of plan.audioCables.values()) {
      for (let n = 0; n < channels; n += 1) {
        const end = { ...to, channel: to.channel + n };
        ends.set(textOfEnd(end), end);
      }
    }
    const findings = [...ends].flatMap(([key, end]) =>
      channelMisfits(plan, end).map((misfit): Finding => ({
        id: `analogue|${key}|${misfit.code}`,
        severity: REFUSED.has(misfit.code) ? 'refusal' : 'caution',
        area: 'patch',
        deviceIds: [end.deviceId],
        about: 'analogue-end',
        terminalId: end.terminalId,
        channel: end.channel,
        misfit,
      })),
    );
    return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
  },
});
