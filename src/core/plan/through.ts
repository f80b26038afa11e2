import type { ReceiverChannel, SenderChannel } from '../edits/fill';
import { channelCount, modelOf, subscriptionsOf, type GearTable, type PlanOf } from './plan';
import type { Subscription } from './subscriptions-table';

/**
 * Systems in which everything passes through a processing unit. A device may name the unit that all it sends and hears goes
 * through. The unit takes a channel in and gives it out again under the same number (a pass), so that each channel costs it one
 * in and one out, however many hear it; its own players cost only when they are sent out. What the engineer wishes (this hears
 * that) becomes one subscription for each hop.
 */

const unitsOfDevices = new WeakMap<GearTable['devices'], ReadonlySet<string>>();

/** Devices that everything of at least one other device passes through. */
export function passingUnits(plan: GearTable): ReadonlySet<string> {
  let units = unitsOfDevices.get(plan.devices);
  if (units === undefined) {
    units = new Set([...plan.devices.values()].flatMap((d) => (d.throughId === null ? [] : [d.throughId])));
    unitsOfDevices.set(plan.devices, units);
  }
  return units;
}

/** How many channels of the unit pass from in to out. */
export function passCount(plan: PlanOf<'models'> & GearTable, unitId: string): number {
  const most = modelOf(plan, unitId)?.passesThrough ?? 0;
  return Math.min(most, channelCount(plan, unitId, 'receive'), channelCount(plan, unitId, 'send'));
}

/** The units that lie between two devices, in the order in which a channel passes them. */
export function unitsBetween(plan: GearTable, senderId: string, receiverId: string): string[] {
  const first = plan.devices.get(senderId)?.throughId ?? null;
  const last = plan.devices.get(receiverId)?.throughId ?? null;
  const units = [first, last].filter((id): id is string => id !== null && id !== senderId && id !== receiverId);
  return units[0] === units[1] ? units.slice(0, 1) : units;
}

/** Where a channel comes from in the first place: a pass is followed back to what it passes. */
export function originOf(
  plan: PlanOf<'models' | 'subscriptions'> & GearTable,
  deviceId: string,
  channel: number,
): SenderChannel {
  let at: SenderChannel = { deviceId, channel };
  for (let hops = 0; hops < HOPS_MAX; hops += 1) {
    if (!passingUnits(plan).has(at.deviceId) || at.channel > passCount(plan, at.deviceId)) return at;
    const feed = subscriptionsOf(plan, at.deviceId).get(at.channel);
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
  /** Those for which a unit has no pass left. */
  readonly left: readonly (ReceiverChannel & { readonly unitId: string })[];
}

/** The passes of one unit: what each carries, and which are free. */
class Passes {
  private readonly bySource = new Map<string, number>();
  private readonly taken = new Set<number>();
  private next = 1;
  private readonly count: number;

  constructor(plan: PlanOf<'models' | 'subscriptions'> & GearTable, unitId: string, heard: ReadonlySet<string>) {
    this.count = passCount(plan, unitId);
    for (const s of subscriptionsOf(plan, unitId).values()) {
      if (s.receiverChannel > this.count) continue;
      this.taken.add(s.receiverChannel);
      const source = keyOf(s.senderDeviceId, s.senderChannel);
      if (!this.bySource.has(source)) this.bySource.set(source, s.receiverChannel);
    }
    // Whoever hears a pass that is not fed yet would hear whatever is put there.
    for (let n = 1; n <= this.count; n += 1) if (heard.has(keyOf(unitId, n))) this.taken.add(n);
  }

  /** The pass that carries the source, or the next free one; null: none is left. */
  passFor(source: SenderChannel): { channel: number; isNew: boolean } | null {
    const key = keyOf(source.deviceId, source.channel);
    const known = this.bySource.get(key);
    if (known !== undefined) return { channel: known, isNew: false };
    while (this.taken.has(this.next)) this.next += 1;
    if (this.next > this.count) return null;
    this.taken.add(this.next);
    this.bySource.set(key, this.next);
    return { channel: this.next, isNew: true };
  }
}

/**
 * Leads wishes through the units that lie on their way, on passes that carry the source already or are free. What is wished
 * between devices without a unit stays as it is. Nothing that is heard already changes.
 */
export function routeThrough(
  plan: PlanOf<'models' | 'subscriptions'> & GearTable,
  wishes: readonly Subscription[],
): Routed {
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
          receiverChannel: pass.channel,
          senderDeviceId: source.deviceId,
          senderChannel: source.channel,
        });
      }
      source = { deviceId: unitId, channel: pass.channel };
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
export interface UnitUse {
  /** Devices whose everything goes through it. */
  readonly members: readonly string[];
  readonly passes: number;
  /** Passes that are fed: each costs one channel in. */
  readonly fed: readonly number[];
  /** Passes that anyone hears: each costs one channel out. */
  readonly heard: readonly number[];
  /** Its own players that anyone hears: each costs one channel out. */
  readonly ownHeard: readonly number[];
}

export function unitUse(plan: PlanOf<'models' | 'subscriptions'> & GearTable, unitId: string): UnitUse {
  const passes = passCount(plan, unitId);
  const sent = new Set<number>();
  for (const feeds of plan.subscriptions.values()) {
    for (const s of feeds.values()) if (s.senderDeviceId === unitId) sent.add(s.senderChannel);
  }
  const inOrder = (channels: Iterable<number>) => [...channels].sort((a, b) => a - b);
  return {
    members: [...plan.devices.values()].filter((d) => d.throughId === unitId).map((d) => d.id),
    passes,
    fed: inOrder(subscriptionsOf(plan, unitId).keys()).filter((n) => n <= passes),
    heard: inOrder(sent).filter((n) => n <= passes),
    ownHeard: inOrder(sent).filter((n) => n > passes),
  };
}
