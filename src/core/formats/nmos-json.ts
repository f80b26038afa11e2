import { RATES_HZ, type RateHz } from '../streams/format';
import type { ChannelRange } from '../models/models-table';
import type { FormatRange } from '../streams/capability';
import { inStep } from '../streams/channel-order';
import { channelsOfCaps, distinctRanges, rangesOfCaps } from './receiver-caps';
import { parseBoundedJson } from './bounded-json';
import { devicesApart, labelOfDevice } from './node-devices';
import { AUDIO, byLabel, CHANNELS_UNTOLD, readDevice, readEnd, readFlow, readNode, type EndResource } from './is04';

/**
 * IS-04 resources as JSON, as a registry's Query API or a node tells them: one resource, a list of them, or lists by name
 * (`{"nodes": […], "devices": […], …}`). What they tell of nodes that carry audio; pictures and data are counted, not read.
 */

interface NmosNode {
  readonly nodeId: string;
  /** Set where the node has several devices that are planned each by itself: which of them it is. */
  readonly nodeDeviceId?: string;
  readonly label: string;
  readonly serial: string | null;
  readonly addresses: readonly string[];
  readonly channelsSend: number;
  readonly channelsReceive: number;
  readonly streamsSend: number;
  readonly streamsReceive: number;
  /** The rate of its flows where all have one; null: not told. */
  readonly rateHz: RateHz | null;
  readonly interfaces: readonly string[];
  readonly hasPtp: boolean | null;
  /** What its receivers say that they take, each range once. */
  readonly receives: readonly FormatRange[];
  /** Senders and receivers of other formats. */
  readonly otherEnds: number;
  /** Set where none of its devices offers a channel map: the channels of its streams, one stream after the other. */
  readonly sendOrder: readonly ChannelRange[] | null;
  readonly receiveOrder: readonly ChannelRange[] | null;
}

interface NmosProblem {
  /** JSON pointer into the document. */
  readonly at: string;
  readonly problem: string;
}

export interface NmosResult {
  readonly nodes: readonly NmosNode[];
  readonly problems: readonly NmosProblem[];
}

export const NMOS_JSON_MAX_BYTES = 40_000_000;
/** A registry with 40,000 senders and as many receivers has some two million values. */
const NMOS_JSON_LIMITS = { depth: 64, values: 4_000_000 };
/** So many problems are listed. */
const PROBLEMS_MAX = 1_000;
const KINDS = ['node', 'device', 'source', 'flow', 'sender', 'receiver'] as const;
type Kind = (typeof KINDS)[number];
type Raw = Readonly<Record<string, unknown>>;

const isObject = (value: unknown): value is Raw => typeof value === 'object' && value !== null && !Array.isArray(value);

/** Which kind of resource it is, told by the fields that only that kind must have (IS-04 v1.2 and later). */
function kindOf(raw: Raw): Kind | null {
  if ('transport' in raw && 'caps' in raw && 'format' in raw) return 'receiver';
  if ('transport' in raw && 'flow_id' in raw) return 'sender';
  if ('source_id' in raw && 'format' in raw) return 'flow';
  if ('device_id' in raw && 'parents' in raw) return 'source';
  if ('node_id' in raw && 'controls' in raw) return 'device';
  if ('href' in raw && 'services' in raw) return 'node';
  return null;
}

/** Every resource of the document with its pointer. */
function* resourcesOf(document: unknown): Iterable<{ at: string; raw: unknown; kind: Kind | null }> {
  if (Array.isArray(document)) {
    for (const [n, raw] of document.entries()) yield { at: `/${n}`, raw, kind: isObject(raw) ? kindOf(raw) : null };
    return;
  }
  if (!isObject(document)) return;
  const lists = KINDS.filter((kind) => Array.isArray(document[`${kind}s`]));
  // A device lists its senders too, by id.
  if (lists.length > 0 && kindOf(document) === null) {
    for (const kind of lists) {
      for (const [n, raw] of (document[`${kind}s`] as unknown[]).entries()) yield { at: `/${kind}s/${n}`, raw, kind };
    }
    return;
  }
  yield { at: '/', raw: document, kind: kindOf(document) };
}

/** Reads it. What is not sound is named by its place and left out; the rest is there to be offered. */
export function readNmosJson(content: string): NmosResult {
  const parsed = parseBoundedJson(content, NMOS_JSON_LIMITS);
  if (!parsed.ok) {
    const { problem, detail } = parsed;
    return {
      nodes: [],
      problems: [{ at: '/', problem: detail === undefined ? `is ${problem}` : `${problem}: ${detail}` }],
    };
  }
  const problems: NmosProblem[] = [];
  const note = (at: string, problem: string) => {
    if (problems.length < PROBLEMS_MAX) problems.push({ at, problem });
    else if (problems.length === PROBLEMS_MAX) problems.push({ at: '/', problem: 'has more problems than are listed' });
  };
  const byKind: Readonly<Record<Kind, Map<string, { raw: Raw; at: string }>>> = {
    node: new Map(),
    device: new Map(),
    source: new Map(),
    flow: new Map(),
    sender: new Map(),
    receiver: new Map(),
  };
  for (const { at, raw, kind } of resourcesOf(parsed.value)) {
    const id = isObject(raw) ? raw['id'] : undefined;
    if (!isObject(raw) || kind === null) note(at, 'is not a resource of IS-04');
    else if (typeof id !== 'string' || id === '') note(`${at}/id`, 'is missing');
    else if (byKind[kind].has(id)) note(`${at}/id`, `${id} is listed twice`);
    else byKind[kind].set(id, { raw, at });
  }
  const nodeOfDevice = new Map<string, string>();
  const mapped = new Set<string>();
  for (const [id, { raw, at }] of byKind.device) {
    const { nodeId, channelMapHrefs } = readDevice(raw);
    if (channelMapHrefs.length > 0) mapped.add(id);
    if (byKind.node.has(nodeId)) nodeOfDevice.set(id, nodeId);
    else note(`${at}/node_id`, `the node ${nodeId || 'it names'} is not in the file`);
  }

  const tallies = new Map<string, { -readonly [F in keyof Tally]: Tally[F] }>();
  /** By device: what of several is planned as one is added up below. */
  const tallyOf = (deviceId: string) => {
    let tally = tallies.get(deviceId);
    if (tally === undefined) {
      tally = {
        channelsSend: 0,
        channelsReceive: 0,
        streamsSend: 0,
        streamsReceive: 0,
        otherEnds: 0,
        rates: new Set(),
        takes: [],
        senders: [],
        receivers: [],
      };
      tallies.set(deviceId, tally);
    }
    return tally;
  };
  const endsOf = function* (kind: 'sender' | 'receiver'): Iterable<{ raw: Raw; end: EndResource }> {
    for (const { raw, at } of byKind[kind].values()) {
      const end = readEnd(raw);
      if (nodeOfDevice.has(end.deviceId)) yield { raw, end };
      else if (!byKind.device.has(end.deviceId)) {
        note(`${at}/device_id`, `the device ${end.deviceId || 'it names'} is not in the file`);
      }
    }
  };
  for (const { end } of endsOf('sender')) {
    const tally = tallyOf(end.deviceId);
    const flow = byKind.flow.get(end.flowId ?? '')?.raw;
    const source = flow && byKind.source.get(readFlow(flow).sourceId)?.raw;
    const format = flow?.['format'] ?? source?.['format'];
    if (format !== undefined && format !== AUDIO) {
      tally.otherEnds += 1;
      continue;
    }
    const channels = source?.['channels'];
    tally.streamsSend += 1;
    const width = Array.isArray(channels) ? channels.length : CHANNELS_UNTOLD;
    tally.channelsSend += width;
    tally.senders.push({ end, width });
    const rate = rateOf(flow?.['sample_rate']);
    if (rate !== null) tally.rates.add(rate);
  }
  for (const { raw, end } of endsOf('receiver')) {
    const tally = tallyOf(end.deviceId);
    if (raw['format'] !== AUDIO) {
      tally.otherEnds += 1;
      continue;
    }
    tally.streamsReceive += 1;
    tally.takes.push(...rangesOfCaps(raw['caps']));
    const width = channelsOfCaps(raw['caps']) ?? CHANNELS_UNTOLD;
    tally.channelsReceive += width;
    tally.receivers.push({ end, width });
  }

  const devicesOfNode = new Map<string, string[]>();
  for (const [deviceId, nodeId] of nodeOfDevice) {
    const own = devicesOfNode.get(nodeId);
    if (own === undefined) devicesOfNode.set(nodeId, [deviceId]);
    else own.push(deviceId);
  }
  const nodes = [...byKind.node].flatMap(([id, { raw }]): NmosNode[] => {
    const { label, serial, addresses, interfaces, clock } = readNode(raw);
    const deviceIds = devicesOfNode.get(id) ?? [];
    const counted = (ids: readonly string[], one: Pick<NmosNode, 'label' | 'nodeDeviceId'>): NmosNode => {
      const { rates, takes, senders, receivers, ...tally } = sumOf(ids.map(tallyOf));
      const isMapped = ids.some((d) => mapped.has(d));
      const order = (all: readonly CountedEnd[]) => (isMapped || all.length === 0 ? null : inStep(widthsOf(all)));
      const [rateHz] = rates;
      const only = rates.size === 1 && rateHz !== undefined ? rateHz : null;
      return {
        nodeId: id,
        ...one,
        serial,
        addresses,
        ...tally,
        sendOrder: order(senders),
        receiveOrder: order(receivers),
        rateHz: only,
        receives: distinctRanges(takes),
        interfaces: interfaces.map((i) => i.name),
        hasPtp: clock === null ? null : clock.gmid !== null,
      };
    };
    const devices = deviceIds.map((d) => readDevice(byKind.device.get(d)?.raw ?? {}));
    const apart = devicesApart(devices, (d) => tallyOf(d).streamsSend + tallyOf(d).streamsReceive > 0);
    if (apart.length === 0) return [counted(deviceIds, { label: label || id })];
    return apart.map((d) => counted([d.id], { nodeDeviceId: d.id, label: labelOfDevice(label || id, devices, d.id) }));
  });
  if (nodes.length === 0 && problems.length === 0) {
    note('/', 'holds no node: without one nobody knows whose senders and receivers they are');
  }
  return { nodes: nodes.sort((a, b) => (a.label < b.label ? -1 : 1)), problems };
}

function sumOf(tallies: readonly Tally[]): Tally {
  const sum = (of: (tally: Tally) => number) => tallies.reduce((total, t) => total + of(t), 0);
  return {
    channelsSend: sum((t) => t.channelsSend),
    channelsReceive: sum((t) => t.channelsReceive),
    streamsSend: sum((t) => t.streamsSend),
    streamsReceive: sum((t) => t.streamsReceive),
    otherEnds: sum((t) => t.otherEnds),
    rates: new Set(tallies.flatMap((t) => [...t.rates])),
    takes: tallies.flatMap((t) => t.takes),
    senders: tallies.flatMap((t) => t.senders),
    receivers: tallies.flatMap((t) => t.receivers),
  };
}

interface CountedEnd {
  readonly end: EndResource;
  readonly width: number;
}

/** In the order in which a plan counts them: device by device, that with the most streams first, and by label. */
function widthsOf(all: readonly CountedEnd[]): number[] {
  const byDevice = new Map<string, CountedEnd[]>();
  for (const one of all) byDevice.set(one.end.deviceId, [...(byDevice.get(one.end.deviceId) ?? []), one]);
  return [...byDevice.values()]
    .sort((a, b) => b.length - a.length)
    .flatMap((own) => own.sort((a, b) => byLabel(a.end, b.end)).map((o) => o.width));
}

interface Tally {
  readonly channelsSend: number;
  readonly channelsReceive: number;
  readonly streamsSend: number;
  readonly streamsReceive: number;
  readonly otherEnds: number;
  readonly rates: Set<RateHz>;
  readonly takes: FormatRange[];
  readonly senders: CountedEnd[];
  readonly receivers: CountedEnd[];
}

function rateOf(raw: unknown): RateHz | null {
  if (!isObject(raw)) return null;
  const rate = Number(raw['numerator']) / Number(raw['denominator'] ?? 1);
  return RATES_HZ.find((r) => r === rate) ?? null;
}
