import type { ReceiverChannel, SenderChannel } from '../edits/fill';
import { modelOf, subscriptionsOf, type GearTable, type PlanOf } from '../plan/plan';
import { onceFor, onceWith } from '../plan/once-for';
import type { Patch } from '../patch/patches-table';
import type { Subscription } from '../plan/subscriptions-table';
import { devicePart, nodeIn, NOBODY, terminalIndexAt } from './device-part';
import { NETWORK_IN, NETWORK_OUT, type Insides, type Terminal } from './terminals';
import { along } from './walk';

/**
 * Systems in which everything passes through a processing unit. A device may name the unit that all it sends and receives goes
 * through. What the unit passes on is a case of the one graph of channels: a network output that is led within the unit from one network input,
 * as its model is normalled (`passesThrough`) or as it is patched. A pass costs the unit one in and one out, however many receive it; its own
 * players cost only when they are sent out. What the engineer wishes (this receives that) becomes one subscription for each hop.
 */

export type ThroughTables = PlanOf<'models' | 'subscriptions' | 'patches'> & GearTable;

const unitsAmong = onceFor(
  (devices: GearTable['devices']): ReadonlySet<string> =>
    new Set([...devices.values()].flatMap((d) => (d.throughId === null ? [] : [d.throughId]))),
);

/** Devices that everything of at least one other device passes through. */
export const passingUnits = ({ devices }: GearTable): ReadonlySet<string> => unitsAmong(devices);

/** What a unit leads from its network inputs to its network outputs without changing or mixing it. */
interface UnitPasses {
  /** By network input: the outputs that give it out, the first of them first. */
  readonly outsOf: ReadonlyMap<number, readonly number[]>;
  /** By network output: the input that it gives out. */
  readonly inOf: ReadonlyMap<number, number>;
}

export function passesOf(plan: PlanOf<'models' | 'patches'> & GearTable, unitId: string): UnitPasses {
  const model = modelOf(plan, unitId);
  return model === undefined ? { outsOf: new Map(), inOf: new Map() } : passesIn(model, plan.patches.get(unitId));
}

const passesIn = onceWith((model: Insides, patches: ReadonlyMap<string, Patch> | undefined): UnitPasses => {
  const part = devicePart('', model, patches, undefined);
  const isChanged = (node: number) => (part.terminals[terminalIndexAt(part, node)] as Terminal).isEffect;
  const begin = nodeIn(part, NETWORK_IN, 1);
  const out = nodeIn(part, NETWORK_OUT, 1);
  const countOf = (node: number) =>
    node === NOBODY ? 0 : (part.terminals[terminalIndexAt(part, node)]?.channels ?? 0);
  const outsOf = new Map<number, number[]>();
  const inOf = new Map<number, number>();
  for (let channel = 1; channel <= countOf(out); channel += 1) {
    // Each is fed by at most one until the network, a mix, or nothing.
    for (const node of along(out + channel - 1, (n) => part.feeders[n])) {
      if (isChanged(node)) break;
      const from = node - begin + 1;
      if (begin === NOBODY || from < 1 || from > countOf(begin)) continue;
      inOf.set(channel, from);
      outsOf.set(from, [...(outsOf.get(from) ?? []), channel]);
      break;
    }
  }
  return { outsOf, inOf };
});

/** The units that lie between two devices, in the order in which a channel passes them. */
export function unitsBetween(plan: GearTable, senderId: string, receiverId: string): string[] {
  const first = plan.devices.get(senderId)?.throughId ?? null;
  const last = plan.devices.get(receiverId)?.throughId ?? null;
  const units = [first, last].filter((id): id is string => id !== null && id !== senderId && id !== receiverId);
  return units[0] === units[1] ? units.slice(0, 1) : units;
}

/** Where a channel comes from in the first place: a pass is followed back to what it passes. */
export function originOf(plan: ThroughTables, deviceId: string, channel: number): SenderChannel {
  let at: SenderChannel = { deviceId, channel };
  for (let hops = 0; hops < HOPS_MAX; hops += 1) {
    if (!passingUnits(plan).has(at.deviceId)) return at;
    const input = passesOf(plan, at.deviceId).inOf.get(at.channel);
    const feed = input === undefined ? undefined : subscriptionsOf(plan, at.deviceId).get(input);
    if (feed === undefined) return at;
    at = { deviceId: feed.senderDeviceId, channel: feed.senderChannel };
  }
  return at;
}
/** Units that pass to each other in a ring would be followed for ever. */
const HOPS_MAX = 8;

const keyOf = (deviceId: string, channel: number) => `${deviceId}/${channel}`;

export interface Routed {
  /** What is wished, hop by hop. */
  readonly subscriptions: readonly Subscription[];
  /** Those for which a unit has no channel left. */
  readonly left: readonly (ReceiverChannel & { readonly unitId: string })[];
}

/** The passes of one unit: what each carries, and which are free. */
class Passes {
  /** By source: the network input that carries it. */
  private readonly bySource = new Map<string, number>();
  private readonly free: number[];
  private readonly unit: UnitPasses;

  constructor(plan: ThroughTables, unitId: string, heard: ReadonlySet<string>) {
    this.unit = passesOf(plan, unitId);
    const fed = subscriptionsOf(plan, unitId);
    for (const s of fed.values()) {
      const source = keyOf(s.senderDeviceId, s.senderChannel);
      if (this.unit.outsOf.has(s.receiverChannel) && !this.bySource.has(source)) {
        this.bySource.set(source, s.receiverChannel);
      }
    }
    // Whoever receives a pass that is not fed yet would receive whatever is put there.
    const isReceived = (outs: readonly number[]) => outs.some((out) => heard.has(keyOf(unitId, out)));
    const isFree = ([input, outs]: readonly [number, readonly number[]]) => !fed.has(input) && !isReceived(outs);
    this.free = [...this.unit.outsOf]
      .filter(isFree)
      .map(([input]) => input)
      .sort((a, b) => b - a);
  }

  /** The pass that carries the source, or the next free one; null: none is left. */
  passFor(source: SenderChannel): { readonly input: number; readonly out: number; readonly isNew: boolean } | null {
    const key = keyOf(source.deviceId, source.channel);
    const known = this.bySource.get(key);
    const input = known ?? this.free.pop();
    const out = input === undefined ? undefined : this.unit.outsOf.get(input)?.[0];
    if (input === undefined || out === undefined) return null;
    this.bySource.set(key, input);
    return { input, out, isNew: known === undefined };
  }
}

/**
 * Leads wishes through the units that lie on their way, on passes that carry the source already or are free. What is wished
 * between devices without a unit stays as it is. Nothing that is received already changes.
 */
export function routeThrough(plan: ThroughTables, wishes: readonly Subscription[]): Routed {
  if (passingUnits(plan).size === 0) return { subscriptions: wishes, left: [] };
  const subscriptions: Subscription[] = [];
  const left: (ReceiverChannel & { unitId: string })[] = [];
  const passes = new Map<string, Passes>();
  let heard: Set<string> | null = null;
  const passesOf = (unitId: string) => {
    // By anyone already, or by what is wished of a pass itself.
    heard ??= new Set(
      [...[...plan.subscriptions.values()].flatMap((feeds) => [...feeds.values()]), ...wishes].map((s) =>
        keyOf(s.senderDeviceId, s.senderChannel),
      ),
    );
    let found = passes.get(unitId);
    if (found === undefined) passes.set(unitId, (found = new Passes(plan, unitId, heard)));
    return found;
  };
  for (const wish of wishes) {
    let source: SenderChannel = { deviceId: wish.senderDeviceId, channel: wish.senderChannel };
    const hops: Subscription[] = [];
    let missing: string | null = null;
    for (const unitId of unitsBetween(plan, wish.senderDeviceId, wish.receiverDeviceId)) {
      const pass = passesOf(unitId).passFor(source);
      if (pass === null) {
        missing = unitId;
        break;
      }
      if (pass.isNew) {
        hops.push({
          receiverDeviceId: unitId,
          receiverChannel: pass.input,
          senderDeviceId: source.deviceId,
          senderChannel: source.channel,
        });
      }
      source = { deviceId: unitId, channel: pass.out };
    }
    if (missing !== null) {
      left.push({ deviceId: wish.receiverDeviceId, channel: wish.receiverChannel, unitId: missing });
      continue;
    }
    subscriptions.push(...hops, { ...wish, senderDeviceId: source.deviceId, senderChannel: source.channel });
  }
  return { subscriptions, left };
}

/** What a unit spends on the system around it. */
interface UnitUse {
  /** Devices whose everything goes through it. */
  readonly members: readonly string[];
  readonly passes: number;
  /** Passes that are fed: each costs one channel in. */
  readonly fed: readonly number[];
  /** Passes that anyone receives: each costs one channel out. */
  readonly heard: readonly number[];
  /** Its own players that anyone receives: each costs one channel out. */
  readonly ownHeard: readonly number[];
}

/** Passes go by the number of their input. */
export function unitUse(plan: ThroughTables, unitId: string): UnitUse {
  const { outsOf, inOf } = passesOf(plan, unitId);
  const sent = new Set<number>();
  for (const feeds of plan.subscriptions.values()) {
    for (const s of feeds.values()) if (s.senderDeviceId === unitId) sent.add(s.senderChannel);
  }
  const inOrder = (channels: Iterable<number>) => [...channels].sort((a, b) => a - b);
  return {
    members: [...plan.devices.values()].filter((d) => d.throughId === unitId).map((d) => d.id),
    passes: outsOf.size,
    fed: inOrder(subscriptionsOf(plan, unitId).keys()).filter((n) => outsOf.has(n)),
    heard: inOrder(new Set([...sent].flatMap((n) => inOf.get(n) ?? []))),
    ownHeard: inOrder(sent).filter((n) => !inOf.has(n)),
  };
}
