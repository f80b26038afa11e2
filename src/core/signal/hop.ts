import { channelDelayNs } from '../delay/channel-delay';
import { tapBetween } from '../patch/taps';
import type { PlanOf } from '../plan/plan';
import type { Lane, LaneReason } from '../reckon/lane';
import { fedBy } from './fed-by';
import { channelAt, type ChannelAt, type SignalGraph } from './graph';
import { attenuationInto, sendDb, settingsAt, type LevelTables } from './levels';
import { clockGroupAt, rateAt, type TerminalClocks } from './terminal-clock';
import type { SideKind, Tap } from './terminal-shape';

/** How a sound comes from the channel before: within the device, over the network, along a cable, over a slot bus. */
export type HopKind = 'patch' | 'normal' | 'send' | 'mix' | 'lane' | 'cable' | 'slot';

/** What changes the bits of a sound on its way. */
export type BitChange =
  /** Gain, equaliser, mixing: what a strip or bus does. */
  | 'processing'
  | 'effect'
  /** 16 bits of 24. */
  | 'L16'
  | 'sample-rate-converter'
  /** Through a converter into the analogue world. */
  | 'analogue';

/** One channel on the way of a sound. */
export interface HopEnd extends ChannelAt {
  /** What it carries: the encoding of a stream, the format of a socket. Null: no figure says so. */
  readonly format: string | null;
  /** Null: it is analogue. */
  readonly rateHz: number | null;
  readonly clockGroupId: string | null;
  /** What it adds to the delay: its own, and at a network input the link offset. What no figure states counts as none. */
  readonly delayNs: number;
  /** At a network input: its lane, refused or not. */
  readonly lane: Lane | null;
}

/** One step of a sound, from a channel to the next that it feeds. */
export interface Hop {
  readonly from: HopEnd;
  readonly to: HopEnd;
  readonly kind: HopKind;
  /** Where in the strip or bus before it is taken; null: there is but one place. */
  readonly tap: Tap | null;
  /** What a send adds, less what an attenuator in the cable takes away. */
  readonly gainDb: number;
  /** What becomes of the bits of the sound; null: they stay as they are. */
  readonly changes: BitChange | null;
  /** What goes along with the sound: what both ends pass on. */
  readonly carries: readonly SideKind[];
  /** Why it feeds nothing; null: it feeds. */
  readonly refused: LaneReason | null;
}

export type HopTables = LevelTables &
  TerminalClocks &
  PlanOf<'patches' | 'busSends'> & {
    readonly models: ReadonlyMap<string, { readonly clock: { readonly src: string } | null }>;
  };

/** What hops follow from. */
export interface Signals {
  readonly graph: SignalGraph;
  readonly plan: HopTables;
  readonly laneOf: (deviceId: string, channel: number) => Lane | undefined;
}

const isNetworkIn = ({ terminal }: ChannelAt) => terminal.kind === 'network' && terminal.direction === 'in';

/** One channel of the graph with all that a sound meets there. */
export function hopEnd(signals: Signals, node: number): HopEnd {
  const { graph, plan, laneOf } = signals;
  const at = channelAt(graph, node);
  const lane = isNetworkIn(at) ? (laneOf(at.deviceId, at.channel) ?? null) : null;
  return {
    ...at,
    format: formatOf(signals, at, node),
    rateHz: isAnalogue(plan, at) ? null : rateAt(plan, at),
    clockGroupId: clockGroupAt(plan, at),
    delayNs: channelDelayNs(plan, at, laneOf),
    lane,
  };
}

/** The step from one channel to another that it feeds, or would feed if its lane were not refused. */
export function hopBetween(signals: Signals, source: number, fed: number): Hop {
  const { plan } = signals;
  const from = hopEnd(signals, source);
  const to = hopEnd(signals, fed);
  const kind = kindOf(plan, from, to);
  return {
    from,
    to,
    kind,
    tap: to.terminal.direction === 'in' ? null : tapBetween(plan, from, to),
    gainDb: to.terminal.direction === 'in' ? 0 - attenuationInto(plan, to) : sendDb(plan, from, to),
    changes: changeBetween(plan, from, to),
    carries: from.terminal.carries.filter((side) => to.terminal.carries.includes(side)),
    refused: kind === 'lane' && to.lane?.verdict === 'refused' ? to.lane.reason : null,
  };
}

function kindOf(plan: PlanOf<'patches' | 'busSends'>, from: ChannelAt, { terminal, ...to }: ChannelAt): HopKind {
  if (terminal.direction === 'in') {
    if (terminal.kind === 'network') return 'lane';
    return terminal.kind === 'slots' ? 'slot' : 'cable';
  }
  const key = `${to.terminalId}/${to.channel}`;
  if (plan.busSends.get(to.deviceId)?.has(`${key}/${from.terminalId}/${from.channel}`) === true) return 'send';
  const patched = plan.patches.get(to.deviceId)?.get(key)?.from;
  if (patched != null && patched.terminalId === from.terminalId && patched.channel === from.channel) return 'patch';
  return terminal.mixes === from.terminalId ? 'mix' : 'normal';
}

function isAnalogue(plan: PlanOf<'channelSettings'>, at: ChannelAt): boolean {
  const format = settingsAt(plan, at)?.format ?? at.terminal.formats[0];
  if (format !== undefined) return ['microphone', 'line', 'loudspeaker', 'headphones'].includes(format);
  return at.terminal.level !== null;
}

function formatOf({ graph, plan, laneOf }: Signals, at: ChannelAt, node: number): string | null {
  if (at.terminal.kind === 'network') {
    // What is sent has the format in which it is received.
    const received = at.terminal.direction === 'in' ? node : fedBy(graph, node)[0];
    const { deviceId = '', channel = 0 } = received === undefined ? {} : channelAt(graph, received);
    return laneOf(deviceId, channel)?.reception?.stream.format.encoding ?? 'PCM';
  }
  if (at.terminal.kind === 'slots') return 'slot bus';
  const format = settingsAt(plan, at)?.format ?? at.terminal.formats[0];
  if (format !== undefined) return format;
  return at.terminal.direction === 'inside' || at.terminal.kind === 'computer' ? 'PCM' : null;
}

function changeBetween({ devices, models }: HopTables, from: HopEnd, to: HopEnd): BitChange | null {
  const { terminal, lane } = to;
  if (terminal.isEffect) return 'effect';
  if (terminal.kind === 'strip' || terminal.kind === 'bus') return 'processing';
  if (terminal.level !== null) return 'analogue';
  if (lane?.reception?.stream.format.encoding === 'L16') return 'L16';
  const src = models.get(devices.get(to.deviceId)?.modelId ?? '')?.clock?.src;
  const isBetweenSides = from.deviceId === to.deviceId && from.clockGroupId !== to.clockGroupId;
  return (src === 'inputs' && isNetworkIn(to)) || (src === 'between' && isBetweenSides)
    ? 'sample-rate-converter'
    : null;
}
