import { ASSUMED } from '../models/unknown-figures';
import { topologyOf, type Topology } from '../network/topology';
import { applyChanges, type RecordChange } from '../plan/changes';
import type { Plan } from '../plan/plan';
import { clocksOf, type Clocks } from './clocks';
import type { KeptTime } from './kept-time';
import type { MediaClock, MediaClockState } from './media-clock';
import { mediaClasses } from './reference-state';
import { takeOverSecondsFromLoss } from './timing';

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
    /** Keeps the time of its own reference, or holds over, and leads no more: another is better. */
    | 'stands-by'
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

/** What happens when the hold-over of clocks that lost their references is over. */
export interface HoldoverEnd {
  readonly deviceIds: readonly string[];
  /** From the loss. */
  readonly afterSeconds: number;
  /** In seconds from that moment. */
  readonly steps: readonly ClockStep[];
}

interface TakeOver {
  readonly loss: ClockLoss;
  readonly after: Clocks;
  /** In the order in which they happen. */
  readonly steps: readonly ClockStep[];
  /** In the order in which they happen. */
  readonly holdoverEnds: readonly HoldoverEnd[];
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
 * What follows from the loss of clocks, cables or references, in time. A clock that hears a leader no more waits out its announce time-out,
 * whether it followed that one or stood by for it (IEEE 1588-2008 clause 9.2.6.11); one that still hears it, and that it has become worse,
 * takes over with its next announce. A clock that relays waits in PRE_MASTER before a port gives time: as many announce intervals as it is
 * steps away and one more (clause 9.2.6.10). A newcomer counts after two announces (clause 9.3.2.4.4); a clock whose parent stays hears of the
 * change with the parent's next announce. Then comes what its model takes to lock.
 */
export function takeOver(plan: Plan, topology: Topology, before: Clocks, loss: ClockLoss): TakeOver {
  const { cut, cutSockets } = planWithout(plan, loss);
  const losses = { deviceIds: new Set(loss.deviceIds), referenceIds: new Set(loss.referenceIds), cutSockets };
  const topologyLeft = cut === plan ? topology : topologyOf(cut);
  const after = clocksOf(cut, topologyLeft, losses);
  const steps = stepsBetween(before, after);
  const holdoverEnds: HoldoverEnd[] = [];
  const ended = new Set<string>();
  let last = after;
  for (const [afterSeconds, deviceIds] of holdoversIn(after)) {
    for (const id of deviceIds) ended.add(id);
    const next = clocksOf(cut, topologyLeft, { ...losses, holdoverEnded: new Set(ended) });
    holdoverEnds.push({ deviceIds, afterSeconds, steps: stepsBetween(last, next) });
    last = next;
  }
  const paces: PaceChange[] = [];
  for (const [deviceId, is] of after.media) {
    const was = before.media.get(deviceId);
    if (was !== undefined && !isSamePace(was, is)) paces.push({ deviceId, before: was, after: is });
  }
  return { loss, after, steps, holdoverEnds, paces, lostDeviceIds: loss.deviceIds };
}

/** Clocks in hold-over whose class changes when that is over, by how long it lasts, the shortest first. */
function holdoversIn({ network, references }: Clocks): [number, string[]][] {
  const bySeconds = new Map<number, string[]>();
  for (const { deviceId, planned, clock } of network.clocks.values()) {
    if (clock.clientOnly || mediaClasses(planned, references) === mediaClasses(planned, references, true)) continue;
    const seconds = planned.ability.holdoverSeconds ?? ASSUMED.holdoverSeconds;
    bySeconds.set(seconds, [...(bySeconds.get(seconds) ?? []), deviceId]);
  }
  return [...bySeconds].sort(([a], [b]) => a - b);
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
    const step = timed(was, is, stepOf, before, after);
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
  before: Clocks,
  after: Clocks,
): ClockStep {
  const { deviceId, grandmasterId, parentId } = is;
  const planned = after.network.clocks.get(deviceId)?.planned;
  const base = { deviceId, grandmasterId, parentId };
  const interval = announceSeconds(after, deviceId);
  const waits = waitFor(was, before, after);
  if (grandmasterId === null && is.isStandingBy) {
    // It steps back when it hears the better one.
    const leaderId = is.ports.flatMap((p) => after.time.segments.get(p.segment)?.leaderIds ?? [])[0];
    const better = leaderId === undefined ? null : stepOf(leaderId);
    const to = (better?.to ?? 0) + interval;
    return { ...base, what: 'stands-by', from: better?.from ?? 0, to, lockedBy: null };
  }
  if (grandmasterId === null) return { ...base, what: 'alone', ...waits, lockedBy: null };
  if (grandmasterId === deviceId) return { ...base, what: 'leads', ...waits, lockedBy: waits.to };
  const what = was.grandmasterId === grandmasterId ? 'other-way' : 'follows';
  const relock = (planned === undefined ? 0 : (planned.ability.relockMs ?? ASSUMED.relockMs)) / 1000;
  let from: number;
  let to: number;
  if (was.parentId === parentId) {
    const parentStep = parentId === null ? null : stepOf(parentId);
    // The parent stays and says with its next announce whom it follows now.
    from = parentStep?.from ?? 0;
    to = (parentStep?.to ?? 0) + interval;
  } else {
    const gives = parentId === null ? NOTHING : givesTimeAfter(parentId, is, stepOf, before, after);
    // It must miss the old one, and hear two announces of the new one.
    from = Math.max(waits.from, gives.from + interval);
    to = Math.max(waits.to, gives.to + 2 * interval);
  }
  return { ...base, what, from, to, lockedBy: to + relock };
}

interface Span {
  readonly from: number;
  readonly to: number;
}
const NOTHING: Span = { from: 0, to: 0 };

const announceSeconds = ({ network }: Clocks, deviceId: string): number =>
  2 ** (network.clocks.get(deviceId)?.planned.settings.logAnnounceInterval ?? 1);

/** How long a clock waits before it decides again: for its time-out where a leader that it heard is gone, for an announce where that one is worse. */
function waitFor(
  was: KeptTime,
  before: Clocks,
  after: Clocks,
  open: ReadonlySet<string> = new Set([was.deviceId]),
): Span {
  const { deviceId, ports } = was;
  const own = after.network.clocks.get(deviceId);
  const listensIn = ports.filter((p) => p.state === 'follows' || p.state === 'passive').map((p) => p.segment);
  const heard = new Set(listensIn.flatMap((segment) => before.time.segments.get(segment)?.leaderIds ?? []));
  if (was.parentId !== null) heard.add(was.parentId);
  heard.delete(deviceId);
  if (heard.size === 0) return NOTHING;
  const stillThere = new Set(own?.ports.flatMap((p) => after.network.membersBySegment.get(p.segment) ?? []));
  const isAnyGone = [...heard].some((id) => !stillThere.has(id));
  if (!isAnyGone) {
    // What it hears is worse only once whoever leads it has found out.
    const found = [...heard].map((id) => {
      const leader = before.time.byDevice.get(id);
      return leader === undefined || open.has(id) ? NOTHING : waitFor(leader, before, after, new Set([...open, id]));
    });
    const from = Math.max(...found.map((span) => span.from));
    return { from, to: Math.max(...found.map((span) => span.to)) + announceSeconds(after, deviceId) };
  }
  const settings = own?.planned.settings;
  return takeOverSecondsFromLoss(settings?.logAnnounceInterval ?? 1, settings?.announceTimeout ?? 3);
}

/** When a new parent begins to give time where its child is. */
function givesTimeAfter(
  parentId: string,
  child: KeptTime,
  stepOf: (deviceId: string) => ClockStep | null,
  before: Clocks,
  after: Clocks,
): Span {
  const step = stepOf(parentId);
  const was = before.time.byDevice.get(parentId);
  const is = after.time.byDevice.get(parentId);
  const subnetId = after.time.segments.get(child.segment ?? '')?.subnetId ?? null;
  const gaveThere = was?.ports.some((p) => p.state === 'leads' && p.subnetId === subnetId) === true;
  if (gaveThere || was === undefined || is === undefined) return step ?? NOTHING;
  // One that stood by there finds out by its own time-out.
  const decides = step ?? waitFor(was, before, after);
  // A grandmaster goes ahead at once (decisions M1 and M2); a clock that only relays qualifies first.
  const preMaster = is.grandmasterId === parentId ? 0 : ((is.stepsRemoved ?? 0) + 1) * announceSeconds(after, parentId);
  return { from: decides.from + preMaster, to: decides.to + preMaster };
}
