import type { Lane } from '../reckon/lane';
import { channelAt, nodeOf, onlyFeederOf, type SignalGraph } from '../signal/graph';
import { NOBODY } from '../signal/device-part';
import type { SignalEnd } from '../signal/signal-end';
import { along } from '../signal/walk';
import { offsetInForce } from './link-offset';
import type { CoherenceGroup } from './coherence-groups-table';

/** The last part of the way to an output: over the network into its device, and through that. */
interface MemberDelay {
  readonly end: SignalEnd;
  /** Of the lane that brings the sound; null: it does not come over the network, or nothing does. */
  readonly offsetNs: number | null;
  /** The smallest offset at which that lane works: what its path needs, and what the device asks for. */
  readonly leastNs: number | null;
  /** Within the device. Output delay that is set on purpose is not in it. */
  readonly ownNs: number;
}

export interface GroupDelay {
  readonly members: readonly MemberDelay[];
  /** The smallest offset that fits all their paths; null: none comes over the network. */
  readonly sharedNs: number | null;
  /** How far the first and the last of them are apart. */
  readonly spreadNs: number;
}

interface CoherenceFacts {
  readonly signal: SignalGraph;
  readonly lanesByReceiver: ReadonlyMap<string, ReadonlyMap<number, Lane>>;
  readonly models: ReadonlyMap<string, { readonly linkOffsetMinNs: number | null }>;
  readonly devices: ReadonlyMap<string, { readonly modelId: string }>;
}

function memberDelay({ signal, lanesByReceiver, models, devices }: CoherenceFacts, end: SignalEnd): MemberDelay | null {
  const start = nodeOf(signal, end);
  if (start === NOBODY) return null;
  let ownNs = 0;
  for (const node of along(start, (n) => onlyFeederOf(signal, n))) {
    const at = channelAt(signal, node);
    if (at.deviceId !== end.deviceId) break;
    ownNs += at.terminal.delayNs ?? 0;
    if (at.terminal.direction !== 'in') continue;
    const lane = at.terminal.kind === 'network' ? lanesByReceiver.get(at.deviceId)?.get(at.channel) : undefined;
    if (lane?.reception == null || lane.verdict === 'refused') break;
    const { offset, stream } = lane.reception;
    const least = models.get(devices.get(end.deviceId)?.modelId ?? '')?.linkOffsetMinNs ?? 0;
    const leastNs = Math.max(offsetInForce(stream.format, least, null), offset.neededNs);
    return { end, offsetNs: offset.offsetNs, leastNs, ownNs };
  }
  return { end, offsetNs: null, leastNs: null, ownNs };
}

/** How the members of a group stand to one another. */
export function groupDelay(facts: CoherenceFacts, group: CoherenceGroup): GroupDelay {
  const members = group.members.flatMap((end) => memberDelay(facts, end) ?? []);
  const least = members.flatMap((m) => m.leastNs ?? []);
  // What nothing feeds over the network is together with nobody, and apart from nobody.
  const totals = members.flatMap((m) => (m.offsetNs === null ? [] : [m.offsetNs + m.ownNs]));
  return {
    members,
    sharedNs: least.length === 0 ? null : Math.ceil(Math.max(...least)),
    spreadNs: totals.length === 0 ? 0 : Math.max(...totals) - Math.min(...totals),
  };
}
