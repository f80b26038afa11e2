import { airDelayNs } from '../delay/air';
import type { LaneReason } from '../reckon/lane';
import { NOBODY } from './device-part';
import { fedBy } from './fed-by';
import { feedersOf, nodeOf } from './graph';
import { hopBetween, hopEnd, type Hop, type HopKind, type HopTables, type Signals } from './hop';
import { channelMisfits, type LevelCheckTables, type LevelMisfit } from './level-checks';
import { levelsOf, settingsAt, type LevelTables } from './levels';
import { endOf, type SignalEnd } from './signal-end';
import type { Tap } from './terminal-shape';
import { wayByWay, type Reached } from './walk';

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
  readonly via: HopKind | null;
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

interface FollowSignals extends Signals {
  readonly plan: HopTables & LevelCheckTables;
}

/** Where nobody says how warm the air is. */
export const USUAL_CELSIUS = 20;

export type Direction = 'forward' | 'back';

/**
 * A sound from any channel to everything that receives it, or back to everything that it receives, as a tree, each way to its end before the next:
 * each channel once, in the order of devices and terminals, and once more where it closes a loop. It ends where a refused lane would go on. Cost: the
 * channels that are reached.
 */
export function followSignal(signals: FollowSignals, start: SignalEnd, way: Direction): readonly SignalStep[] {
  const { graph, plan } = signals;
  const first = nodeOf(graph, start);
  if (first === NOBODY) return [];
  const level = levelsOf(graph, plan);
  const refusedFrom = new Map<number, number[]>();
  for (const [fed, source] of way === 'forward' ? graph.refused : [])
    refusedFrom.set(source, [...(refusedFrom.get(source) ?? []), fed]);
  const next = (node: number): number[] =>
    way === 'forward'
      ? [...fedBy(graph, node), ...(refusedFrom.get(node) ?? [])]
      : [...feedersOf(graph, node), ...[graph.refused.get(node) ?? []].flat()];
  // Sound runs from `source` into `fed`, whichever way it is followed.
  const hopTo = ({ node, from }: Reached): Hop | null =>
    from === null
      ? null
      : way === 'forward'
        ? hopBetween(signals, from.node, node)
        : hopBetween(signals, node, from.node);
  const steps: SignalStep[] = [];
  const placeOf = new Map<Reached, number>();
  const ended = new Set<Reached>();
  for (const reached of wayByWay(first, (r) => (ended.has(r) ? [] : next(r.node)))) {
    const { node, from, isLoop } = reached;
    const hop = hopTo(reached);
    const at = hop === null ? hopEnd(signals, node) : way === 'forward' ? hop.to : hop.from;
    if (hop !== null && hop.refused !== null) ended.add(reached);
    const after = from === null ? null : (placeOf.get(from) as number);
    placeOf.set(reached, steps.length);
    const { dbu, dbfs, alikeDb, isAtLeast } = level(node);
    const isEnd = way === 'back' && at.terminal.direction !== 'in' && !isLoop && next(node).length === 0;
    const misfit: Misfit | null =
      (hop?.refused != null ? { code: 'lane-refused', reason: hop.refused } : null) ??
      (isLoop ? { code: 'loop' } : null) ??
      channelMisfits(plan, at)[0] ??
      (isEnd ? { code: 'fed-by-nothing' } : null);
    steps.push({
      ...endOf(at),
      after,
      via: hop?.kind ?? null,
      format: at.format,
      rateHz: at.rateHz,
      clockGroupId: at.clockGroupId,
      tap: hop?.tap ?? null,
      addsNs: at.delayNs,
      delayNs: (after === null ? 0 : (steps[after] as SignalStep).delayNs) + at.delayNs,
      levelDbu: dbu,
      levelDbfs: dbfs,
      alikeDb,
      isAtLeast,
      airNs: airNsFrom(plan, at),
      misfit,
    });
  }
  return steps;
}

function airNsFrom(plan: LevelTables, at: SignalEnd): number | null {
  const settings = settingsAt(plan, at);
  if (settings?.distanceMetres == null) return null;
  return Math.round(airDelayNs(settings.distanceMetres, settings.airCelsius ?? USUAL_CELSIUS));
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
