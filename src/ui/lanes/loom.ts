import { channelCount, type Plan } from '@/core/plan/plan';
import type { LaneState } from '@/field/lane-state';
import { isInPlace } from '@/ui/parts/place';
import { evidenceOf, stateOf } from '@/ui/session/shown';
import type { FieldView, View } from '@/ui/session/plan-store';

/**
 * The loom: sending places on one edge, receiving places on the other, and between them a ribbon for each pair, as wide as
 * channels run from one to the other. An open place stands there as what is in it: places in turn, and devices.
 */
export interface Loom {
  readonly senders: readonly LoomEdge[];
  readonly receivers: readonly LoomEdge[];
  readonly ribbons: readonly Ribbon[];
  readonly height: number;
}

export interface LoomEdge {
  readonly key: string;
  readonly name: string;
  readonly channels: number;
  readonly canOpen: boolean;
  readonly y: number;
  readonly height: number;
}

const WEAVES = ['carrying', 'planned', 'unsure', 'refused'] as const;
/** What a ribbon looks like: carrying; planned or staged; waiting or on one leg; refused. */
export type Weave = (typeof WEAVES)[number];

export interface Ribbon {
  readonly key: string;
  readonly from: string;
  readonly to: string;
  readonly channels: number;
  /** By state, in the order in which they are drawn beside one another. */
  readonly strands: readonly { readonly weave: Weave; readonly channels: number; readonly width: number }[];
  readonly ySend: number;
  readonly yReceive: number;
  readonly width: number;
}

export const NOWHERE = 'nowhere';
const GAP = 3;
const EDGE_MIN = 14;
const STRAND_MIN = 1.5;

const WEAVE: Readonly<Record<LaneState, Weave>> = {
  carrying: 'carrying',
  planned: 'planned',
  staged: 'planned',
  waiting: 'unsure',
  'one-legged': 'unsure',
  unknown: 'unsure',
  refused: 'refused',
};

/** Where a device stands in a loom in which these places are open: a place's id, or `device:` and its own. */
export function edgeKeyOf(plan: Plan, deviceId: string, open: ReadonlySet<string>): string {
  const path: string[] = [];
  for (let at = plan.devices.get(deviceId)?.placeId ?? null; at !== null; at = plan.places.get(at)?.parentId ?? null) {
    path.unshift(at);
  }
  if (path.length === 0) path.push(NOWHERE);
  return path.find((id) => !open.has(id)) ?? `device:${deviceId}`;
}

/** Whether there is anything between places to draw. */
export function hasSeveralPlaces(plan: Plan): boolean {
  const placeIds = new Set<string | null>();
  for (const { id, placeId } of plan.devices.values())
    if (channelCount(plan, id, 'send') + channelCount(plan, id, 'receive') > 0) placeIds.add(placeId);
  return placeIds.size > 1;
}

/** Whether a device is what an edge of the loom stands for, or is in it. No key: it is. */
export function isAtEdge(plan: Plan, deviceId: string, key: string | null): boolean {
  if (key === null) return true;
  if (key.startsWith('device:')) return key === `device:${deviceId}`;
  const placeId = plan.devices.get(deviceId)?.placeId ?? null;
  return key === NOWHERE ? placeId === null : isInPlace(plan, placeId, key);
}

export function edgeName(plan: Plan, key: string): string {
  if (key === NOWHERE) return 'no place';
  if (key.startsWith('device:')) return plan.devices.get(key.slice(7))?.name ?? key.slice(7);
  return plan.places.get(key)?.name ?? key;
}

interface Pair {
  readonly from: string;
  readonly to: string;
  readonly channels: Record<Weave, number>;
}

export interface LoomOptions {
  readonly open: ReadonlySet<string>;
  /** Only receivers in this place. */
  readonly placeId: string | null;
  /** What there is room for; the loom is higher where its edges could not be read otherwise. */
  readonly height: number;
  /** 1: all of it in that height where it can be. */
  readonly zoom: number;
}

export function loomOf(plan: Plan, view: View, field: FieldView, options: LoomOptions): Loom {
  const keys = new Map<string, string>();
  const keyOf = (deviceId: string) => {
    let key = keys.get(deviceId);
    if (key === undefined) keys.set(deviceId, (key = edgeKeyOf(plan, deviceId, options.open)));
    return key;
  };
  const pairs = new Map<string, Pair>();
  for (const [receiverId, lanes] of view.lanes) {
    if (!isInPlace(plan, plan.devices.get(receiverId)?.placeId ?? null, options.placeId)) continue;
    const to = keyOf(receiverId);
    for (const [channel, lane] of lanes) {
      const from = keyOf(lane.senderDeviceId);
      let pair = pairs.get(`${from}>${to}`);
      if (pair === undefined) {
        pair = { from, to, channels: { carrying: 0, planned: 0, unsure: 0, refused: 0 } };
        pairs.set(`${from}>${to}`, pair);
      }
      pair.channels[WEAVE[stateOf(lane, evidenceOf(field, receiverId, channel))]] += 1;
    }
  }
  // Who could send stands there too, so that rows can be dropped on it.
  const senders = new Set([...pairs.values()].map((p) => p.from));
  for (const { id } of plan.devices.values()) if (channelCount(plan, id, 'send') > 0) senders.add(keyOf(id));
  const receivers = new Set([...pairs.values()].map((p) => p.to));
  return laidOut(plan, [...pairs.values()], [...senders], [...receivers], options);
}

const collator = new Intl.Collator('en', { numeric: true });

/** The names of the places that an edge is in, and its own. */
function namePath(plan: Plan, key: string): string[] {
  const isDevice = key.startsWith('device:');
  const path = isDevice ? [edgeName(plan, key)] : [];
  const start = isDevice ? (plan.devices.get(key.slice(7))?.placeId ?? null) : key;
  for (let at = start; at !== null; at = plan.places.get(at)?.parentId ?? null) path.unshift(edgeName(plan, at));
  return path;
}

function comparePaths(a: readonly string[], b: readonly string[]): number {
  for (let n = 0; n < Math.min(a.length, b.length); n += 1) {
    const order = collator.compare(a[n] as string, b[n] as string);
    if (order !== 0) return order;
  }
  return a.length - b.length;
}

function grouped(pairs: readonly Pair[], end: 'from' | 'to'): Map<string, Pair[]> {
  const groups = new Map<string, Pair[]>();
  for (const pair of pairs) {
    const group = groups.get(pair[end]);
    if (group === undefined) groups.set(pair[end], [pair]);
    else group.push(pair);
  }
  return groups;
}

function laidOut(
  plan: Plan,
  pairs: readonly Pair[],
  senderKeys: string[],
  receiverKeys: string[],
  { height, zoom }: LoomOptions,
): Loom {
  // What is in an open place stands where the place stood.
  const paths = new Map([...senderKeys, ...receiverKeys].map((key) => [key, namePath(plan, key)]));
  const byName = (a: string, b: string) => comparePaths(paths.get(a) ?? [], paths.get(b) ?? []);
  senderKeys.sort(byName);
  receiverKeys.sort(byName);
  const order = new Map([...senderKeys, ...receiverKeys].map((key) => [key, 0]));
  [...order.keys()].sort(byName).forEach((key, n) => order.set(key, n));
  const rank = (key: string) => order.get(key) ?? 0;

  const byEnd = { from: grouped(pairs, 'from'), to: grouped(pairs, 'to') };
  const widthOf = (pair: Pair, perChannel: number) =>
    WEAVES.reduce(
      (sum, w) => sum + (pair.channels[w] > 0 ? Math.max(STRAND_MIN, pair.channels[w] * perChannel) : 0),
      0,
    );
  const needed = (keys: readonly string[], end: 'from' | 'to', perChannel: number) => {
    const widths = new Map(keys.map((key) => [key, 0]));
    for (const pair of pairs) widths.set(pair[end], (widths.get(pair[end]) ?? 0) + widthOf(pair, perChannel));
    return [...widths.values()].reduce((sum, w) => sum + Math.max(EDGE_MIN, w) + GAP, 0);
  };
  const heightAt = (perChannel: number) =>
    Math.max(needed(senderKeys, 'from', perChannel), needed(receiverKeys, 'to', perChannel));
  // As wide as fits, found by halving; where not even the names fit, a thin but telling width.
  let low = 0;
  let high = 40;
  const room = height * zoom;
  for (let step = 0; step < 24; step += 1) {
    const middle = (low + high) / 2;
    if (heightAt(middle) <= room) low = middle;
    else high = middle;
  }
  const perChannel = Math.max(low, 0.15);

  const ends = (keys: readonly string[], end: 'from' | 'to') => {
    let y = 2;
    return keys.map((key): LoomEdge & { used: number } => {
      const own = byEnd[end].get(key) ?? [];
      const width = own.reduce((sum, p) => sum + widthOf(p, perChannel), 0);
      const edge = {
        key,
        name: edgeName(plan, key),
        channels: own.reduce((sum, p) => sum + WEAVES.reduce((n, w) => n + p.channels[w], 0), 0),
        canOpen: !key.startsWith('device:'),
        y,
        height: Math.max(EDGE_MIN, width),
        used: 0,
      };
      y += edge.height + GAP;
      return edge;
    });
  };
  const senders = ends(senderKeys, 'from');
  const receivers = ends(receiverKeys, 'to');
  const place = new Map<Pair, { ySend: number; yReceive: number }>(pairs.map((p) => [p, { ySend: 0, yReceive: 0 }]));
  const put = (edges: readonly (LoomEdge & { used: number })[], end: 'from' | 'to', y: 'ySend' | 'yReceive') => {
    const other = end === 'from' ? 'to' : 'from';
    for (const edge of edges) {
      const own = [...(byEnd[end].get(edge.key) ?? [])].sort((a, b) => rank(a[other]) - rank(b[other]));
      for (const pair of own) {
        (place.get(pair) as Record<typeof y, number>)[y] = edge.y + edge.used;
        edge.used += widthOf(pair, perChannel);
      }
    }
  };
  put(senders, 'from', 'ySend');
  put(receivers, 'to', 'yReceive');
  const ribbons = pairs
    .map((pair): Ribbon => ({
      key: `${pair.from}>${pair.to}`,
      from: pair.from,
      to: pair.to,
      channels: WEAVES.reduce((n, w) => n + pair.channels[w], 0),
      strands: WEAVES.filter((w) => pair.channels[w] > 0).map((weave) => ({
        weave,
        channels: pair.channels[weave],
        width: Math.max(STRAND_MIN, pair.channels[weave] * perChannel),
      })),
      ...(place.get(pair) as { ySend: number; yReceive: number }),
      width: widthOf(pair, perChannel),
    }))
    .sort((a, b) => rank(a.from) - rank(b.from) || rank(a.to) - rank(b.to));
  return { senders, receivers, ribbons, height: Math.max(room, heightAt(perChannel) + 4) };
}
