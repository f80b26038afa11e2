import { compareNames } from '@/core/plan/name-order';
import { plannedClock } from '@/core/clocks/clock-settings';
import { isCutOff } from '@/core/clocks/network-clocks';
import type { KeptTime } from '@/core/clocks/kept-time';
import type { Plan } from '@/core/plan/plan';
import { deviceName } from '@/ui/parts/names';
import { subnetName } from '@/ui/parts/network-words';
import type { ClockView } from '@/workers/clock-view';

/** The way of time as a tree: who leads, in which parts of the network, and who follows or passes it on there. */
interface TimeTree {
  /** Grandmasters with followers, the one with most first. */
  readonly roots: readonly LeaderNode[];
  /** Devices that hear nobody, and clocks that keep their own time with nobody following. */
  readonly alone: readonly string[];
}

export interface LeaderNode {
  readonly deviceId: string;
  readonly isGrandmaster: boolean;
  readonly segments: readonly SegmentNode[];
  /** Devices that hear time from it, all the way down. */
  readonly below: number;
}

export interface SegmentNode {
  readonly id: string;
  readonly title: string;
  readonly subnetId: string | null;
  /** Followers that pass nothing on, by name. */
  readonly followers: readonly string[];
  /** Those who would give time here and leave it to the leader. */
  readonly standingBy: readonly string[];
  /** Devices that hear time elsewhere and would hear it here too. */
  readonly secondWays: number;
  readonly relays: readonly LeaderNode[];
}

/** Pure; a relay that is heard in several segments stands in the one in which it hears its parent. */
export function timeTree(plan: Plan, { time }: ClockView): TimeTree {
  const childrenBySegment = new Map<string, KeptTime[]>();
  for (const kept of time.byDevice.values()) {
    if (kept.parentId === null || kept.segment === null) continue;
    const key = `${kept.parentId} ${kept.segment}`;
    const list = childrenBySegment.get(key);
    if (list === undefined) childrenBySegment.set(key, [kept]);
    else list.push(kept);
  }
  const byDeviceName = (a: string, b: string) =>
    compareNames(deviceName(plan, a), deviceName(plan, b)) || (a < b ? -1 : 1);
  const seen = new Set<string>();
  const leaderNode = (deviceId: string): LeaderNode => {
    seen.add(deviceId);
    const kept = time.byDevice.get(deviceId);
    // A boundary clock has a port in each part of a subnet: for the reader that is one subnet.
    const bySubnet = new Map<string, { subnetId: string | null; segments: Set<string> }>();
    for (const { state, segment, subnetId } of kept?.ports ?? []) {
      if (state !== 'leads') continue;
      const title = subnetId === null ? 'Across routers' : segmentTitle(plan, segment, subnetId);
      const known = bySubnet.get(title);
      if (known === undefined) bySubnet.set(title, { subnetId, segments: new Set([segment]) });
      else known.segments.add(segment);
    }
    const segments: SegmentNode[] = [];
    let below = 0;
    for (const [title, { subnetId, segments: ids }] of bySubnet) {
      const children = [...ids].flatMap((segment) => childrenBySegment.get(`${deviceId} ${segment}`) ?? []);
      const relays = children.filter((c) => c.isRelaying && !seen.has(c.deviceId));
      const nodes = relays
        .map((r) => r.deviceId)
        .sort(byDeviceName)
        .map(leaderNode);
      const isRelay = new Set(relays.map((r) => r.deviceId));
      const followers = children
        .map((c) => c.deviceId)
        .filter((id) => !isRelay.has(id))
        .sort(byDeviceName);
      const passive = [...ids].flatMap((segment) =>
        (time.segments.get(segment)?.deviceIds ?? []).filter(
          (id) =>
            id !== deviceId &&
            time.byDevice.get(id)?.ports.some((p) => p.segment === segment && p.state === 'passive') === true,
        ),
      );
      const standingBy = passive.filter((id) => plannedClock(plan, id)?.settings.clientOnly === false);
      below += children.length + nodes.reduce((sum, n) => sum + n.below, 0);
      if (children.length === 0 && passive.length === 0) continue;
      segments.push({
        id: [...ids][0] as string,
        title,
        subnetId,
        followers,
        standingBy: standingBy.sort(byDeviceName),
        secondWays: passive.length - standingBy.length,
        relays: nodes,
      });
    }
    return { deviceId, isGrandmaster: kept?.grandmasterId === deviceId, segments, below };
  };
  const roots = time.grandmasterIds.map(leaderNode);
  const alone = [
    ...roots.filter((r) => r.below === 0).map((r) => r.deviceId),
    ...[...time.byDevice.values()].filter((k) => k.grandmasterId === null && !k.isStandingBy).map((k) => k.deviceId),
  ].sort(byDeviceName);
  return { roots: roots.filter((r) => r.below > 0), alone };
}

/** A part of a subnet that cables do not join with the rest says so. */
function segmentTitle(plan: Plan, segment: string, subnetId: string): string {
  return isCutOff(segment) ? `${subnetName(plan, subnetId)}, cut off` : subnetName(plan, subnetId);
}
