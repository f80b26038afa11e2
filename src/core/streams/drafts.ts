import { LEGS, type Leg } from '../models/models-table';
import { formatKey, type StreamFormat } from './format';
import { groupSeedOf } from './group-seed';
import type { KeptStream } from './kept-streams';
import type { Demand } from './packing';
import type { Stream } from './stream';

/** Streams while they are made. */

export interface Draft {
  format: StreamFormat;
  channels: number[];
  receivers: number[];
  channelsMax: number;
  kept: KeptStream | null;
  /** Set where its number is that of the channels that it carries for good. */
  streamNumber?: number;
  /** Those of its receivers that need it just as it is. */
  inOrderFor: readonly number[];
}

/** Joins unlike streams of one format until they fit, always the pair that delivers the fewest unwanted channels. */
export function joinToFit(fresh: Draft[], room: number): Draft[] {
  if (fresh.length <= room) return fresh;
  const drafts = [...fresh];
  while (drafts.length > Math.max(room, 0)) {
    let best: { i: number; j: number; joined: Draft; cost: number } | null = null;
    for (let i = 0; i < drafts.length; i += 1) {
      for (let j = i + 1; j < drafts.length; j += 1) {
        const joined = join(drafts[i] as Draft, drafts[j] as Draft);
        if (joined === null) continue;
        const cost = delivered(joined) - delivered(drafts[i] as Draft) - delivered(drafts[j] as Draft);
        if (best === null || cost < best.cost) best = { i, j, joined, cost };
      }
    }
    if (best === null) return refilled(drafts, room);
    drafts.splice(best.j, 1);
    drafts[best.i] = best.joined;
  }
  return drafts;
}

/** The last resort: every stream filled to the brim and received by everyone, where that is what it takes to fit. */
function refilled(drafts: Draft[], room: number): Draft[] {
  const first = drafts[0];
  if (first === undefined || drafts.some((d) => d.format !== first.format)) return drafts;
  const channelsMax = Math.min(...drafts.map((d) => d.channelsMax));
  const channels = [...new Set(drafts.flatMap((d) => d.channels))].sort((a, b) => a - b);
  if (Math.ceil(channels.length / channelsMax) > room) return drafts;
  const filled: Draft[] = [];
  for (let start = 0; start < channels.length; start += channelsMax) {
    const part = channels.slice(start, start + channelsMax);
    const reception = drafts.filter((d) => d.channels.some((c) => part.includes(c)));
    const receivers = [...new Set(reception.flatMap((d) => d.receivers))].sort((a, b) => a - b);
    filled.push({ format: first.format, channels: part, receivers, channelsMax, kept: null, inOrderFor: [] });
  }
  return filled;
}

const delivered = (draft: Draft) => draft.channels.length * draft.receivers.length;

function join(a: Draft, b: Draft): Draft | null {
  if (a.format !== b.format) return null;
  const channels = [...new Set([...a.channels, ...b.channels])].sort((x, y) => x - y);
  const channelsMax = Math.min(a.channelsMax, b.channelsMax);
  if (channels.length > channelsMax) return null;
  const receivers = [...new Set([...a.receivers, ...b.receivers])].sort((x, y) => x - y);
  return { format: a.format, channels, receivers, channelsMax, kept: null, inOrderFor: [] };
}

/**
 * Gives drafts their numbers: kept ones theirs, the others the lowest that are free. Numbers under which something else was sent come last, so that a
 * new stream can stand beside what still carries; only a sender that has no other left lays a stream out again in place.
 * @param kept all that was sent or laid out @param streamsMax how many streams the sender has
 */
export function numbered(
  senderDeviceId: string,
  drafts: readonly Draft[],
  demands: readonly Demand[],
  kept: readonly KeptStream[] = [],
  streamsMax = Infinity,
): Stream[] {
  let taken: Set<number> | null = null;
  for (const { kept: own } of drafts) if (own !== null) (taken ??= new Set()).add(own.streamNumber);
  const carrying = kept.filter((k) => k.sent !== null && !taken?.has(k.streamNumber)).map((k) => k.streamNumber);
  const avoided = carrying.length === 0 ? null : new Set(carrying);
  const reusable = [...carrying].sort((a, b) => a - b);
  let next = 1;
  const isFree = (n: number) => taken?.has(n) !== true && avoided?.has(n) !== true;
  return drafts.map((draft) => {
    let streamNumber = draft.streamNumber ?? draft.kept?.streamNumber;
    if (streamNumber === undefined) {
      while (!isFree(next)) next += 1;
      const reused = next > streamsMax ? reusable.shift() : undefined;
      streamNumber = reused ?? next;
      if (reused === undefined) next += 1;
    }
    const legs = withLegs(legsOf(draft, demands), draft.kept?.legs ?? NO_LEGS);
    const count = draft.channels.length;
    const id = `${senderDeviceId}/${streamNumber}`;
    return {
      id,
      groupSeed: groupSeedOf(id),
      senderDeviceId,
      streamNumber,
      channels: draft.channels,
      width: Math.max(draft.kept?.sent?.width ?? 0, draft.format.encoding === 'AM824' ? count + (count % 2) : count),
      // What is subscribed are channels of sound; other essences are not laid out here.
      essence: 'audio',
      format: draft.format,
      formatKey: formatKey(draft.format),
      legs,
      // One with limits may want some channels in order and others as they come.
      receiverDeviceIds: receiversOf(draft, demands),
      unicastTo: null,
      sent: draft.kept?.sent ?? null,
      isHeld: draft.kept?.isHeld ?? false,
      isInOrder: draft.inOrderFor.length > 0,
    };
  });
}

/** By id, each once: one that takes some channels in order and others as they come has two demands. The list is just as long as it has to be. */
function receiversOf({ receivers }: Draft, demands: readonly Demand[]): readonly string[] {
  const idAt = (n: number) => (demands[receivers[n] as number] as Demand).receiverDeviceId;
  const isAgain = (n: number) => n > 0 && idAt(n) === idAt(n - 1);
  let count = 0;
  for (let n = 0; n < receivers.length; n += 1) if (!isAgain(n)) count += 1;
  const ids = new Array<string>(count);
  count = 0;
  for (let n = 0; n < receivers.length; n += 1) {
    if (isAgain(n)) continue;
    ids[count] = idAt(n);
    count += 1;
  }
  return ids;
}

const NO_LEGS: readonly Leg[] = [];

/** What goes out on a leg goes on there, whoever leaves. */
function withLegs(wanted: readonly Leg[], sent: readonly Leg[]): readonly Leg[] {
  return sent.every((leg) => wanted.includes(leg))
    ? wanted
    : LEGS.filter((l) => wanted.includes(l) || sent.includes(l));
}

function legsOf(draft: Draft, demands: readonly Demand[]): readonly Leg[] {
  let legs: readonly Leg[] = [];
  for (const r of draft.receivers) {
    const wanted = (demands[r] as Demand).legs;
    if (wanted.length === 2) return wanted;
    if (legs.length === 0) legs = wanted;
    else if (legs[0] !== wanted[0]) return LEGS;
  }
  return legs;
}
