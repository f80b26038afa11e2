import { ASSUMED } from '../models/unknown-figures';
import { topologyOf, type Topology } from '../network/topology';
import { applyChanges, type RecordChange } from '../plan/changes';
import type { Plan } from '../plan/plan';
import { clocksOf, type Clocks } from './clocks';
import type { KeptTime } from './kept-time';
import type { MediaClock, MediaClockState } from './media-clock';
import { takeOverSeconds } from './timing';

/** What is taken away in a drill. */
export interface ClockLoss {
  readonly deviceIds: readonly string[];
  readonly linkIds: readonly string[];
  readonly referenceIds: readonly string[];
}

/** What a device goes through after a loss; times in seconds from the loss, the earliest and the latest. */
export interface ClockStep {
  readonly deviceId: string;
  readonly what:
    /** Becomes grandmaster. */
    | 'leads'
    /** Keeps the same grandmaster by another way. */
    | 'other-way'
    /** Follows another grandmaster. */
    | 'follows'
    /** Hears nobody any more. */
    | 'alone';
  readonly grandmasterId: string | null;
  readonly parentId: string | null;
  readonly from: number;
  readonly to: number;
  /** When it calls itself locked again, at the latest; null where there is nothing to lock to. */
  readonly lockedBy: number | null;
}

/** A device whose samples are paced by something else than before. */
export interface PaceChange {
  readonly deviceId: string;
  readonly before: MediaClock;
  readonly after: MediaClock;
}

export interface TakeOver {
  readonly loss: ClockLoss;
  readonly after: Clocks;
  /** In the order in which they happen. */
  readonly steps: readonly ClockStep[];
  /** By device, in the order of ids; without those that are lost. */
  readonly paces: readonly PaceChange[];
  /** Devices that were there before and are taken away. */
  readonly lostDeviceIds: readonly string[];
}

/** The plan without some cables; switches that are lost take their cables with them. */
function planWithout(plan: Plan, loss: ClockLoss): { cut: Plan; cutSockets: ReadonlySet<string> } {
  const lost = new Set(loss.deviceIds);
  const links = new Set(loss.linkIds);
  const cutSockets = new Set<string>();
  const changes: RecordChange[] = [];
  for (const link of plan.links.values()) {
    const isAtLostSwitch = [link.from, link.to].some(
      (end) => lost.has(end.deviceId) && plan.models.get(plan.devices.get(end.deviceId)?.modelId ?? '')?.switching,
    );
    if (!links.has(link.id) && !isAtLostSwitch) continue;
    changes.push({ table: 'links', before: link, after: null });
    for (const { deviceId, port } of [link.from, link.to]) cutSockets.add(`${deviceId} ${port}`);
  }
  return { cut: applyChanges(plan, changes), cutSockets };
}

/**
 * What follows from the loss of clocks, cables or references, in time. A clock that loses its parent waits out its announce
 * time-out (IEEE 1588-2008 clause 9.2.6.11); behind it a newcomer counts after two announces (clause 9.3.2.4.4); a clock
 * whose parent stays hears of the change with the parent's next announce. Then comes what its model takes to lock.
 */
export function takeOver(plan: Plan, topology: Topology, before: Clocks, loss: ClockLoss): TakeOver {
  const { cut, cutSockets } = planWithout(plan, loss);
  const losses = { deviceIds: new Set(loss.deviceIds), referenceIds: new Set(loss.referenceIds), cutSockets };
  const after = clocksOf(cut, cut === plan ? topology : topologyOf(cut), losses);
  const steps = stepsBetween(before, after);
  const paces: PaceChange[] = [];
  for (const [deviceId, is] of after.media) {
    const was = before.media.get(deviceId);
    if (was !== undefined && !isSamePace(was, is)) paces.push({ deviceId, before: was, after: is });
  }
  return { loss, after, steps, paces, lostDeviceIds: loss.deviceIds };
}

const KEEPS_ITS_PACE: ReadonlySet<MediaClockState> = new Set(['network', 'reference']);

/** The same origin by the same kind of way: locked to it before and after, or its own before and after. */
function isSamePace(a: MediaClock, b: MediaClock): boolean {
  return a.originKey === b.originKey && KEEPS_ITS_PACE.has(a.state) === KEEPS_ITS_PACE.has(b.state);
}

function stepsBetween(before: Clocks, after: Clocks): ClockStep[] {
  const steps = new Map<string, ClockStep>();
  const open = new Set<string>();
  const stepOf = (deviceId: string): ClockStep | null => {
    const known = steps.get(deviceId);
    if (known !== undefined) return known;
    const was = before.time.byDevice.get(deviceId);
    const is = after.time.byDevice.get(deviceId);
    if (was === undefined || is === undefined || open.has(deviceId) || isSameTime(was, is)) return null;
    open.add(deviceId);
    const step = timed(was, is, stepOf, after);
    open.delete(deviceId);
    steps.set(deviceId, step);
    return step;
  };
  for (const deviceId of after.time.byDevice.keys()) stepOf(deviceId);
  return [...steps.values()].sort((a, b) => a.from - b.from || a.to - b.to || (a.deviceId < b.deviceId ? -1 : 1));
}

function isSameTime(a: KeptTime, b: KeptTime): boolean {
  return a.grandmasterId === b.grandmasterId && a.parentId === b.parentId;
}

function timed(
  was: KeptTime,
  is: KeptTime,
  stepOf: (deviceId: string) => ClockStep | null,
  { network }: Clocks,
): ClockStep {
  const { deviceId, grandmasterId, parentId } = is;
  const planned = network.clocks.get(deviceId)?.planned;
  const settings = planned?.settings;
  const base = { deviceId, grandmasterId, parentId };
  const interval = 2 ** (settings?.logAnnounceInterval ?? 1);
  const timeout =
    was.parentId === null
      ? { from: 0, to: 0 }
      : takeOverSeconds(settings?.logAnnounceInterval ?? 1, settings?.announceTimeout ?? 3);
  if (grandmasterId === null) return { ...base, what: 'alone', ...timeout, lockedBy: null };
  if (grandmasterId === deviceId) return { ...base, what: 'leads', ...timeout, lockedBy: timeout.to };
  const what = was.grandmasterId === grandmasterId ? 'other-way' : 'follows';
  const parentStep = parentId === null ? null : stepOf(parentId);
  const relock = (planned === undefined ? 0 : (planned.ability.relockMs ?? ASSUMED.relockMs)) / 1000;
  let from: number;
  let to: number;
  if (was.parentId === parentId) {
    // The parent stays and says with its next announce whom it follows now.
    from = parentStep?.from ?? 0;
    to = (parentStep?.to ?? 0) + interval;
  } else {
    // It must miss the old one, and hear two announces of the new one.
    from = Math.max(timeout.from, (parentStep?.from ?? 0) + interval);
    to = Math.max(timeout.to, (parentStep?.to ?? 0) + 2 * interval);
  }
  return { ...base, what, from, to, lockedBy: to + relock };
}
