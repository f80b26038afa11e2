import { channelDelayNs } from '../delay/channel-delay';
import type { Facts } from '../reckon/facts';
import { textOfEnd } from '../signal/cabled';
import { listNumberOf, NOBODY, type DevicePart } from '../signal/device-part';
import type { DeviceFlow } from '../signal/device-flow';
import { channelAt, deviceIndexAt, feedersOf, type SignalGraph } from '../signal/graph';
import { endOf } from '../signal/signal-end';
import type { FindingAbout } from './finding';
import { rule } from './rule';
import { onceFor } from '../plan/once-for';

const FINDS = ['same-sound-twice'] as const;
type Found = FindingAbout<(typeof FINDS)[number]>;

/** A bus that mixes one sound with itself, later: two ways from a source to it that do not take the same time. */

type Graph = Pick<Facts, 'signal' | 'signalFlow'>;
type Now = Graph & Pick<Facts, 'lanesByReceiver' | 'channelSettings'>;

/** The node that a sound at a node comes from, and the device whose flow and inside say so. */
export function rootAt({ signal, signalFlow }: Graph, node: number) {
  const deviceId = signal.deviceIds[deviceIndexAt(signal, node)] as string;
  const flow = signalFlow.byDevice.get(deviceId);
  return { deviceId, root: flow?.roots[node - (signal.firstNode.get(deviceId) as number)] ?? node };
}

/** What a sound takes from where it comes from to a channel, back along single feeds. */
function delayToRoot(now: Now, node: number, root: number): number {
  const laneOf = (id: string, channel: number) => now.lanesByReceiver.get(id)?.get(channel);
  let sum = 0;
  for (let at = node; at !== root && at >= 0; at = now.signal.feeders[at] as number)
    sum += channelDelayNs(now, channelAt(now.signal, at), laneOf);
  return sum;
}

/** One way into a bus: by which of its feeders, and the channels behind the buses on it, the nearest first. */
interface WayIn {
  readonly feeder: number;
  readonly nodes: readonly number[];
}
/** A sound that reaches a bus by several of its feeders. */
interface Meeting {
  readonly bus: number;
  readonly source: number;
  readonly ways: readonly WayIn[];
}
interface Meetings {
  readonly part: DevicePart;
  /** What was looked at of other devices: their buses go into these. */
  readonly others: ReadonlyMap<
    string,
    { readonly flow: DeviceFlow | undefined; readonly part: DevicePart | undefined }
  >;
  readonly found: readonly Meeting[];
}

/** Whether a node is a bus that can be opened and looked into: one that mixes what it is sent, but no matrix. */
const canBeOpened = (signal: SignalGraph, node: number): boolean =>
  listNumberOf(signal.feeders[node] as number) >= 0 && channelAt(signal, node).terminal.mixes === null;

/** All ways into a bus, by the source that they come from. */
export function waysInto(
  signal: SignalGraph,
  bus: number,
  rootOf: (node: number) => number,
): ReadonlyMap<number, readonly WayIn[]> {
  const waysBySource = new Map<number, WayIn[]>();
  const left: WayIn[] = feedersOf(signal, bus).map((node) => ({ feeder: node, nodes: [node] }));
  for (let way = left.pop(); way !== undefined; way = left.pop()) {
    const root = rootOf(way.nodes[way.nodes.length - 1] as number);
    if (root === bus) continue; // it comes back to itself: a loop, told as one
    const ways = waysBySource.get(root);
    if (ways !== undefined) {
      ways.push(way);
      continue;
    }
    waysBySource.set(root, [way]);
    if (!canBeOpened(signal, root)) continue;
    // What the other bus mixes stands in its device, whose inside has to be looked at again when it changes.
    rootOf(root);
    for (const node of feedersOf(signal, root)) left.push({ feeder: way.feeder, nodes: [...way.nodes, node] });
  }
  return waysBySource;
}

/** Whether any source reaches a bus by two of its feeders: `waysInto` with nothing listed, as nearly all buses say no. */
export function doAnyMeet(signal: SignalGraph, bus: number, rootOf: (node: number) => number): boolean {
  const metBy = new Map<number, number>();
  const nodes = [...feedersOf(signal, bus)];
  /** By which feeder each of the nodes comes in. */
  const by = [...nodes];
  for (let node = nodes.pop(); node !== undefined; node = nodes.pop()) {
    const feeder = by.pop() as number;
    const root = rootOf(node);
    if (root === bus) continue;
    const metFirstBy = metBy.get(root);
    if (metFirstBy !== undefined && metFirstBy !== feeder) return true;
    if (metFirstBy !== undefined) continue;
    metBy.set(root, feeder);
    if (!canBeOpened(signal, root)) continue;
    for (const inner of feedersOf(signal, root)) {
      nodes.push(inner);
      by.push(feeder);
    }
  }
  return false;
}

/** Whether a bus mixes several sounds, any of which is fed. */
export function doesMix({ feeders, lists, listBase }: SignalGraph, bus: number): boolean {
  const number = listNumberOf(feeders[bus] as number);
  if (number < 0) return false;
  const list = lists[number] as readonly number[];
  const base = listBase[number] as number;
  return list.length > 1 && list.some((inner) => feeders[base + inner] !== NOBODY);
}

const NO_MEETINGS: readonly Meeting[] = [];
const NO_OTHERS: Meetings['others'] = new Map();
const meetingsByFlow = new WeakMap<DeviceFlow, Meetings>();

/** Whether a device has a matrix or renderer: buses that always mix all channels of a terminal. */
const hasMatrixAmong = onceFor((terminals: DevicePart['terminals']) => terminals.some((t) => t.mixes !== null));

/**
 * Sounds that reach a bus of a device on several ways. Buses that strips are sent to; and of a matrix or renderer, in which everything can reach
 * everything, one for all. On the way a matrix says nothing of what reaches what, and is looked at as one sound. Buses that go into a bus are
 * opened, each once. Kept until anything of the device, or of one whose buses were opened, changes.
 */
function meetingsIn(now: Graph, part: DevicePart, flow: DeviceFlow): Meetings {
  const { signal, signalFlow } = now;
  const known = meetingsByFlow.get(flow);
  const isAsKnown = ([id, was]: [string, { flow: DeviceFlow | undefined; part: DevicePart | undefined }]) =>
    signalFlow.byDevice.get(id) === was.flow && signal.parts.get(id) === was.part;
  if (known?.part === part && [...known.others].every(isAsKnown)) return known;
  const first = signal.firstNode.get(part.deviceId) as number;
  let others: Map<string, { flow: DeviceFlow | undefined; part: DevicePart | undefined }> | null = null;
  const rootOf = (node: number): number => {
    const inner = node - first;
    if (inner >= 0 && inner < part.size) return flow.roots[inner] as number;
    const { deviceId, root } = rootAt(now, node);
    if (deviceId !== part.deviceId) {
      others ??= new Map();
      others.set(deviceId, { flow: signalFlow.byDevice.get(deviceId), part: signal.parts.get(deviceId) });
    }
    return root;
  };
  let found: readonly Meeting[] = NO_MEETINGS;
  for (const [n, t] of part.terminals.entries()) {
    if (t.kind !== 'bus') continue;
    // All channels of a matrix mix the same.
    const count = t.mixes === null ? t.channels : Math.min(1, t.channels);
    for (let c = 0; c < count; c += 1) {
      const bus = first + (part.firstNode[n] as number) + c;
      if (!doesMix(signal, bus) || !doAnyMeet(signal, bus, rootOf)) continue;
      for (const [source, ways] of waysInto(signal, bus, rootOf)) {
        if (ways.some((w) => w.feeder !== ways[0]?.feeder)) found = [...found, { bus, source, ways }];
      }
    }
  }
  const meetings = { part, others: others ?? NO_OTHERS, found };
  meetingsByFlow.set(flow, meetings);
  return meetings;
}

/** The first and the last of the ways, where they are apart and come in by different feeders. */
function firstAndLast(now: Now, ways: readonly WayIn[]) {
  const laneOf = (id: string, channel: number) => now.lanesByReceiver.get(id)?.get(channel);
  /** A bus that was opened on the way takes its time too; the sound itself, at the end of it, does not. */
  const delayOf = (node: number, isLast: boolean) => {
    const { root } = rootAt(now, node);
    return delayToRoot(now, node, root) + (isLast ? 0 : channelDelayNs(now, channelAt(now.signal, root), laneOf));
  };
  const timed = ways
    .map(({ feeder, nodes }) => ({
      feeder,
      delayNs: nodes.reduce((sum, node, n) => sum + delayOf(node, n === nodes.length - 1), 0),
    }))
    .sort((a, b) => a.delayNs - b.delayNs || a.feeder - b.feeder);
  const [early] = timed;
  const late = timed.findLast((way) => way.feeder !== early?.feeder);
  return early === undefined || late === undefined || late.delayNs === early.delayNs ? null : { early, late };
}

export const doubleRule = rule({
  finds: FINDS,
  reads: ['signal', 'signalFlow', 'lanesByReceiver', 'channelSettings'],
  find: (now) => {
    const { signal, signalFlow } = now;
    const endAt = (node: number) => endOf(channelAt(signal, node));
    const findings: Found[] = [];
    for (const part of signal.parts.values()) {
      const isMixing = part.sends !== undefined || hasMatrixAmong(part.terminals);
      const flow = isMixing ? signalFlow.byDevice.get(part.deviceId) : undefined;
      if (flow === undefined) continue;
      for (const meeting of meetingsIn(now, part, flow).found) {
        const apart = firstAndLast(now, meeting.ways);
        if (apart === null) continue;
        const [bus, source] = [endAt(meeting.bus), endAt(meeting.source)];
        findings.push({
          id: `twice|${textOfEnd(bus)}|${textOfEnd(source)}`,
          // Whether a matrix leads both to one place is not planned here.
          severity: channelAt(signal, meeting.bus).terminal.mixes === null ? 'caution' : 'note',
          deviceIds: [...new Set([bus.deviceId, source.deviceId])],
          about: 'same-sound-twice',
          bus,
          source,
          feeders: [endAt(apart.early.feeder), endAt(apart.late.feeder)],
          delaysNs: [apart.early.delayNs, apart.late.delayNs],
        });
      }
    }
    return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
  },
});
