import { airDelayNs } from '../delay/air';
import { channelDelayNs } from '../delay/channel-delay';
import type { PlanOf } from '../plan/plan';
import type { Lane, LaneReason } from '../reckon/lane';
import { channelAt, fedBy, feedersOf, nodeOf, type SignalGraph } from './graph';
import { levelsOf, settingsAt, type LevelTables } from './levels';
import { channelMisfits, type LevelMisfit } from './level-checks';
import { tapBetween } from '../patch/taps';
import { NOBODY } from './device-part';
import type { NameTables } from './channel-names';
import type { SignalEnd, Terminals } from './signal-end';
import type { Tap } from './terminal-shape';
import type { Terminal } from './terminals';

/** How a sound came from the channel before: within the device, over the network, along a cable, over a slot bus. */
export type Via = 'patch' | 'normal' | 'send' | 'mix' | 'lane' | 'cable' | 'slot';

/** Why a sound is not right from here on. */
export type Misfit =
  | { readonly code: 'lane-refused'; readonly reason: LaneReason }
  | { readonly code: 'loop' }
  /** Followed back: nothing feeds it, and it is no source. */
  | { readonly code: 'fed-by-nothing' }
  | LevelMisfit;

export interface SignalStep extends SignalEnd {
  /** The step that this one follows on, by its place in the list; null: it is the first. */
  readonly after: number | null;
  /** Null: it is the first. */
  readonly via: Via | null;
  readonly format: string | null;
  /** Null: it is analogue. */
  readonly rateHz: number | null;
  readonly clockGroupId: string | null;
  /** Where in the strip or bus before it is taken; null: there is but one place. */
  readonly tap: Tap | null;
  /** What this step adds, and all from the channel that was asked for. Delays that no figure of a model states count as none. */
  readonly addsNs: number;
  readonly delayNs: number;
  readonly levelDbu: number | null;
  readonly levelDbfs: number | null;
  /** As in `SignalLevel`. */
  readonly alikeDb: number;
  readonly isAtLeast: boolean;
  /** From an output on through the air, where its distance was measured. Not in the delay. */
  readonly airNs: number | null;
  readonly misfit: Misfit | null;
}

type FollowTables = LevelTables &
  NameTables &
  PlanOf<'patches' | 'audioCables' | 'clocks'> & {
    readonly devices: ReadonlyMap<string, { readonly rateHz: number; readonly modelId: string }>;
    readonly models: Terminals['models'];
  };

export interface Signals {
  readonly graph: SignalGraph;
  readonly plan: FollowTables;
  readonly laneOf: (deviceId: string, channel: number) => Lane | undefined;
}

/** Where nobody says how warm the air is. */
export const USUAL_CELSIUS = 20;

export type Direction = 'forward' | 'back';

/**
 * A sound from any channel to everything that receives it, or back to everything that it receives, as a tree, each way to its end before the next:
 * each channel once, in the order of devices and terminals, and once more where it closes a loop. Cost: the channels that are reached.
 */
export function followSignal(signals: Signals, start: SignalEnd, way: Direction): readonly SignalStep[] {
  const { graph } = signals;
  const first = nodeOf(graph, start);
  if (first === NOBODY) return [];
  const level = levelsOf(graph, signals.plan);
  const steps: SignalStep[] = [];
  const seen = new Set<number>();
  const left: { node: number; after: number | null; from: number; isLoop: boolean }[] = [
    { node: first, after: null, from: NOBODY, isLoop: false },
  ];
  const nodes: number[] = [];
  for (let one = left.pop(); one !== undefined; one = left.pop()) {
    const { node, after, from, isLoop } = one;
    // It waited here, and was reached through another channel meanwhile.
    if (!isLoop && seen.has(node)) continue;
    seen.add(node);
    const at = channelAt(graph, node);
    const before = after === null ? null : (steps[after] as SignalStep);
    // Sound runs from `source` into `fed`, whichever way it is followed.
    const [source, fed] = way === 'forward' ? [from, node] : [node, from];
    const join = from === NOBODY ? null : joinOf(signals, source, fed);
    // Each channel's own delay, and on the network the link offset: the same sum whichever way one goes.
    const settings = settingsAt(signals.plan, at);
    const addsNs = channelDelayNs(signals.plan, at, signals.laneOf);
    const { dbu, dbfs, alikeDb, isAtLeast } = level(node);
    const next = isLoop ? [] : [...(way === 'forward' ? fedBy(graph, node) : feedersOf(graph, node))];
    const isEnd = way === 'back' && next.length === 0 && !isLoop && at.terminal.direction !== 'in';
    const misfit: Misfit | null =
      join?.misfit ??
      (isLoop ? { code: 'loop' } : null) ??
      channelMisfits(signals.plan, at)[0] ??
      (isEnd ? { code: 'fed-by-nothing' } : null);
    steps.push({
      deviceId: at.deviceId,
      terminalId: at.terminalId,
      channel: at.channel,
      after,
      via: join?.via ?? null,
      format: formatOf(signals, at, node),
      rateHz: isAnalogue(signals, at) ? null : (signals.plan.devices.get(at.deviceId)?.rateHz ?? null),
      clockGroupId: signals.plan.clocks.get(at.deviceId)?.groupId ?? null,
      tap: join?.tap ?? null,
      addsNs,
      delayNs: (before?.delayNs ?? 0) + addsNs,
      levelDbu: dbu,
      levelDbfs: dbfs,
      alikeDb,
      isAtLeast,
      airNs:
        settings?.distanceMetres == null
          ? null
          : Math.round(airDelayNs(settings.distanceMetres, settings.airCelsius ?? USUAL_CELSIUS)),
      misfit,
    });
    nodes.push(node);
    const index = steps.length - 1;
    for (const then of next.reverse()) {
      // A channel reached on two ways is listed once; only one that the sound came through itself closes a loop.
      const isLoop = isAmong(steps, nodes, index, then);
      if (isLoop || !seen.has(then)) left.push({ node: then, after: index, from: node, isLoop });
    }
  }
  return steps;
}

function isAmong(steps: readonly SignalStep[], nodes: readonly number[], from: number, node: number): boolean {
  for (let at: number | null = from; at !== null; at = steps[at]?.after ?? null) if (nodes[at] === node) return true;
  return false;
}

/** How one channel feeds another. */
function joinOf({ graph, plan, laneOf }: Signals, source: number, fed: number) {
  const from = channelAt(graph, source);
  const to = channelAt(graph, fed);
  const nothing = { lane: null, tap: null, misfit: null };
  if (to.terminal.direction === 'in') {
    if (to.terminal.kind === 'network') {
      const lane = laneOf(to.deviceId, to.channel) ?? null;
      const misfit = lane?.verdict === 'refused' ? ({ code: 'lane-refused', reason: lane.reason } as const) : null;
      return { ...nothing, via: 'lane', lane, misfit } as const;
    }
    return { ...nothing, via: to.terminal.kind === 'slots' ? 'slot' : 'cable' } as const;
  }
  const key = `${to.terminalId}/${to.channel}`;
  const send = plan.busSends.get(to.deviceId)?.get(`${key}/${from.terminalId}/${from.channel}`);
  const tap = tapBetween(plan, from, to);
  if (send !== undefined) return { ...nothing, via: 'send', tap } as const;
  const patch = plan.patches.get(to.deviceId)?.get(key);
  if (patch !== undefined && isFrom(patch.from, from)) return { ...nothing, via: 'patch', tap } as const;
  return { ...nothing, via: to.terminal.mixes === from.terminalId ? 'mix' : 'normal', tap } as const;
}

const isFrom = (a: { terminalId: string; channel: number } | null, b: { terminalId: string; channel: number }) =>
  a !== null && a.terminalId === b.terminalId && a.channel === b.channel;

function isAnalogue({ plan }: Signals, { terminal, ...end }: SignalEnd & { terminal: Terminal }): boolean {
  const format = settingsAt(plan, end)?.format ?? terminal.formats[0];
  if (format !== undefined) return ['microphone', 'line', 'loudspeaker', 'headphones'].includes(format);
  return terminal.level !== null;
}

function formatOf(
  { graph, plan, laneOf }: Signals,
  at: SignalEnd & { terminal: Terminal },
  node: number,
): string | null {
  if (at.terminal.kind === 'network') {
    // What is sent has the format in which it is heard.
    const heard = at.terminal.direction === 'in' ? node : fedBy(graph, node)[0];
    const { deviceId = '', channel = 0 } = heard === undefined ? {} : channelAt(graph, heard);
    return laneOf(deviceId, channel)?.hearing?.stream.format.encoding ?? 'PCM';
  }
  if (at.terminal.kind === 'slots') return 'slot bus';
  const format = settingsAt(plan, at)?.format ?? at.terminal.formats[0];
  if (format !== undefined) return format;
  return at.terminal.direction === 'inside' || at.terminal.kind === 'computer' ? 'PCM' : null;
}

/** The place of the first step that does not fit: the fewest steps away, of those the first in the list. Null: all fit. */
export function firstMisfit(steps: readonly SignalStep[]): number | null {
  const depths: number[] = [];
  let first: number | null = null;
  for (const [n, step] of steps.entries()) {
    depths.push(step.after === null ? 0 : (depths[step.after] as number) + 1);
    if (step.misfit !== null && (first === null || (depths[n] as number) < (depths[first] as number))) first = n;
  }
  return first;
}
