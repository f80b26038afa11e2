import { compareClocks, type ClockComparison } from '../core/clocks/comparison';
import type { TimeKeeping } from '../core/clocks/kept-time';
import { areLocked, type MediaClock } from '../core/clocks/media-clock';
import { takeOver, type ClockLoss, type ClockStep, type HoldoverEnd, type PaceChange } from '../core/clocks/take-over';
import type { Reckoning } from '../core/reckon/reckoning';

/** Who keeps time and what samples are paced by, as the page needs it. */
export interface ClockView {
  readonly time: TimeKeeping;
  /** By device. */
  readonly media: ReadonlyMap<string, MediaClock>;
}

/** What becomes of the lanes between two devices when something is lost. */
interface DisturbedLanes {
  readonly senderId: string;
  readonly receiverId: string;
  readonly lanes: number;
  readonly how:
    /** An end is gone. */
    | 'silent'
    /** The two ends run apart afterwards. */
    | 'slips'
    /** Both change over to another pace: a click may be heard while they lock. */
    | 'relocks';
}

export interface LossView {
  readonly loss: ClockLoss;
  readonly steps: readonly ClockStep[];
  readonly holdoverEnds: readonly HoldoverEnd[];
  readonly paces: readonly PaceChange[];
  readonly lanes: readonly DisturbedLanes[];
  readonly after: ClockView;
}

/** Why a grandmaster leads, or why another device does not. */
export interface WhyView {
  readonly comparison: ClockComparison;
  /** The one asked about leads, or someone else does. */
  readonly leads: boolean;
}

export function clockViewOf({ clocks }: Reckoning): ClockView {
  return { time: clocks.time, media: clocks.media };
}

export function lossView(reckoning: Reckoning, loss: ClockLoss): LossView {
  const { plan, topology, clocks } = reckoning;
  const result = takeOver(plan, topology, clocks, loss);
  const { after, steps, holdoverEnds, paces } = result;
  return {
    loss,
    steps,
    holdoverEnds,
    paces,
    lanes: disturbedLanes(reckoning, result.lostDeviceIds, paces, after.media),
    after: { time: after.time, media: after.media },
  };
}

function disturbedLanes(
  { lanesByReceiver, plan }: Reckoning,
  lostDeviceIds: readonly string[],
  paces: readonly PaceChange[],
  after: ReadonlyMap<string, MediaClock>,
): DisturbedLanes[] {
  const lost = new Set(lostDeviceIds);
  const changed = new Set(paces.map((p) => p.deviceId));
  const found = new Map<string, DisturbedLanes>();
  for (const [receiverId, lanes] of lanesByReceiver) {
    for (const { verdict, subscription } of lanes.values()) {
      const senderId = subscription.senderDeviceId;
      const isLost = lost.has(senderId) || lost.has(receiverId);
      if (verdict === 'refused' || !(isLost || changed.has(senderId) || changed.has(receiverId))) continue;
      const key = `${receiverId} ${senderId}`;
      const known = found.get(key);
      if (known !== undefined) {
        found.set(key, { ...known, lanes: known.lanes + 1 });
        continue;
      }
      const sender = after.get(senderId);
      const receiver = after.get(receiverId);
      const converts = plan.models.get(plan.devices.get(receiverId)?.modelId ?? '')?.clock?.src === 'inputs';
      const together = sender === undefined || receiver === undefined || areLocked(sender, receiver) || converts;
      const how = isLost ? 'silent' : together ? 'relocks' : 'slips';
      found.set(key, { senderId, receiverId, lanes: 1, how });
    }
  }
  const order = { silent: 0, slips: 1, relocks: 2 };
  return [...found.values()].sort(
    (a, b) => order[a.how] - order[b.how] || (a.receiverId + a.senderId < b.receiverId + b.senderId ? -1 : 1),
  );
}

/**
 * A grandmaster against whoever would lead without it, any other clock against the grandmaster that it follows. Null where
 * there is nobody to be compared with.
 */
export function whyView(reckoning: Reckoning, deviceId: string): WhyView | null {
  const { clocks, plan, topology } = reckoning;
  const own = clocks.network.clocks.get(deviceId);
  const kept = clocks.time.byDevice.get(deviceId);
  if (own === undefined || kept === undefined || kept.grandmasterId === null) return null;
  if (kept.grandmasterId !== deviceId) {
    const master = clocks.network.clocks.get(kept.grandmasterId);
    return master === undefined ? null : { comparison: compareClocks(master.clock, own.clock), leads: false };
  }
  const loss = { deviceIds: [deviceId], linkIds: [], referenceIds: [] };
  const { after } = takeOver(plan, topology, clocks, loss);
  const votes = new Map<string, number>();
  for (const k of clocks.time.byDevice.values()) {
    if (k.grandmasterId !== deviceId || k.deviceId === deviceId) continue;
    const next = after.time.byDevice.get(k.deviceId)?.grandmasterId ?? null;
    if (next !== null) votes.set(next, (votes.get(next) ?? 0) + 1);
  }
  const [next] = [...votes].sort((a, b) => b[1] - a[1] || (a[0] < b[0] ? -1 : 1));
  const runnerUp = next && clocks.network.clocks.get(next[0]);
  return runnerUp ? { comparison: compareClocks(own.clock, runnerUp.clock), leads: true } : null;
}
