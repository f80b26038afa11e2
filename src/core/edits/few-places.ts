import { plannedFeed, plannedPart } from '../patch/patch-in-field';
import type { Command } from '../plan/commands';
import { applyCommands } from '../plan/apply-commands';
import { modelOf, type Plan, type PlanOf } from '../plan/plan';
import { PLAIN_CHANNEL } from '../signal/channel-settings-table';
import type { DevicePart } from '../signal/device-part';
import type { Tap } from '../signal/terminal-shape';
import { NETWORK_OUT, terminalsOf, type Terminal } from '../signal/terminals';
import { feedCommand } from './fill-patch';

/**
 * Feeds with few places: a personal monitor mixer, a hearing loop, a broadcast feed of sixteen channels. Sources of a console that do not
 * all fit get a place alone, are folded into one bus with others, or are left out. What a feed has is read from the plan (lanes, patch, sends), so
 * that it can be changed later without a record of its own.
 */

/** A source: a channel of the console that its buses can be fed from. */
export interface MixSource {
  readonly terminalId: string;
  readonly channel: number;
}

export interface FewPlaces {
  /** The console whose sources are chosen. */
  readonly mixerId: string;
  /** The places: so many channels of a receiver, from the first on. */
  readonly receiverDeviceId: string;
  readonly firstChannel: number;
  readonly count: number;
}

export interface FewPlace {
  /** Nothing is heard there; one source alone; a bus; something else, which a choice of sources would take away. */
  readonly is: 'free' | 'alone' | 'fold' | 'else';
  readonly sources: readonly MixSource[];
  /** The network output of the console that is heard there; null: none. */
  readonly out: number | null;
  /** The bus that folds; null: none does. */
  readonly bus: number | null;
}

interface WantedPlace {
  readonly sources: readonly MixSource[];
  /** What a new bus is called; null: it gets no name. */
  readonly label: string | null;
}

export type PlaceLeftWhy = 'no-bus-left' | 'no-network-output-left';

export interface PlacesFill {
  readonly commands: readonly Command[];
  /** Places, counted from 0, that stay as they are. */
  readonly left: readonly { readonly place: number; readonly why: PlaceLeftWhy }[];
}

type PlacesTables = PlanOf<'devices' | 'models' | 'patches' | 'busSends' | 'channelSettings' | 'subscriptions'>;

/** What of a console a feed is made with. */
export interface Mixer {
  readonly bus: Terminal;
  readonly out: Terminal;
  /** By terminal of sources: the terminal by which one of them goes out alone, itself or its direct outs. */
  readonly aloneBy: ReadonlyMap<string, string>;
}

/** Null: the device cannot mix sources into its network outputs. */
export function mixerOf(plan: PlacesTables, deviceId: string): Mixer | null {
  const model = modelOf(plan, deviceId);
  const terminals = model === undefined ? [] : terminalsOf(model);
  const out = terminals.find((t) => t.id === NETWORK_OUT);
  const bus = terminals.find((t) => t.kind === 'bus' && t.sendsFrom.length > 0 && out?.patchFrom.includes(t.id));
  if (out === undefined || bus === undefined) return null;
  const aloneBy = new Map<string, string>();
  for (const source of bus.sendsFrom) {
    const isDirect = (t: Terminal) => t.kind === 'direct' && t.normalledTo === source && out.patchFrom.includes(t.id);
    const by = terminals.find(isDirect)?.id ?? (out.patchFrom.includes(source) ? source : undefined);
    if (by !== undefined) aloneBy.set(source, by);
  }
  return { bus, out, aloneBy };
}

const keyOf = ({ terminalId, channel }: MixSource) => `${terminalId}/${channel}`;
const isSameSet = (a: readonly MixSource[], b: readonly MixSource[]) =>
  a.length === b.length && new Set([...a, ...b].map(keyOf)).size === a.length;

/** The console as it stands: what its network outputs carry, and who hears them. */
class Desk {
  readonly part: DevicePart | undefined;
  private readonly heard = new Map<number, { readonly receiverDeviceId: string; readonly receiverChannel: number }[]>();

  constructor(
    readonly plan: PlacesTables,
    readonly mixerId: string,
    readonly mixer: Mixer,
  ) {
    this.part = plannedPart(plan, mixerId);
    for (const own of plan.subscriptions.values()) {
      for (const lane of own.values()) {
        if (lane.senderDeviceId !== mixerId) continue;
        const known = this.heard.get(lane.senderChannel);
        if (known === undefined) this.heard.set(lane.senderChannel, [lane]);
        else known.push(lane);
      }
    }
  }

  feedOf(terminalId: string, channel: number): MixSource | null {
    return this.part === undefined ? null : plannedFeed(this.part, terminalId, channel);
  }

  sendsInto(bus: number): readonly MixSource[] {
    return [...(this.plan.busSends.get(this.mixerId)?.values() ?? [])]
      .filter((s) => s.isOn && s.terminalId === this.mixer.bus.id && s.channel === bus)
      .map((s) => ({ terminalId: s.fromTerminalId, channel: s.fromChannel }));
  }

  /** What a network output carries. */
  carries(out: number): FewPlace {
    const feed = this.feedOf(this.mixer.out.id, out);
    if (feed === null) return { is: 'else', sources: [], out, bus: null };
    if (feed.terminalId === this.mixer.bus.id) {
      return { is: 'fold', sources: this.sendsInto(feed.channel), out, bus: feed.channel };
    }
    const source = this.mixer.aloneBy.has(feed.terminalId) ? feed : this.feedOf(feed.terminalId, feed.channel);
    const isAlone = source !== null && this.mixer.aloneBy.has(source.terminalId);
    return isAlone ? { is: 'alone', sources: [source], out, bus: null } : { is: 'else', sources: [], out, bus: null };
  }

  /** Whether anybody but the places hears a network output. */
  isHeardElsewhere(out: number, { receiverDeviceId, firstChannel, count }: FewPlaces): boolean {
    return (this.heard.get(out) ?? []).some(
      (l) =>
        l.receiverDeviceId !== receiverDeviceId ||
        l.receiverChannel < firstChannel ||
        l.receiverChannel >= firstChannel + count,
    );
  }

  outs(): number[] {
    return Array.from({ length: this.mixer.out.channels }, (_, n) => n + 1);
  }

  /** Whether a bus goes anywhere but to network outputs that nobody else hears. */
  isBusUsedElsewhere(bus: number, target: FewPlaces): boolean {
    const { id } = this.mixer.bus;
    const goesToOut = this.outs().some((out) => {
      const feed = this.feedOf(this.mixer.out.id, out);
      return feed?.terminalId === id && feed.channel === bus && this.isHeardElsewhere(out, target);
    });
    if (goesToOut) return true;
    const elsewhere = (this.part?.terminals ?? []).filter(
      (t) => t.id !== this.mixer.out.id && t.patchFrom.includes(id),
    );
    return elsewhere.some((t) =>
      Array.from({ length: t.channels }, (_, n) => this.feedOf(t.id, n + 1)).some(
        (feed) => feed?.terminalId === id && feed.channel === bus,
      ),
    );
  }
}

/** What each place has now. */
export function placesNow(plan: PlacesTables, target: FewPlaces): readonly FewPlace[] {
  const mixer = mixerOf(plan, target.mixerId);
  if (mixer === null) return [];
  return placesOn(new Desk(plan, target.mixerId, mixer), target);
}

function placesOn(desk: Desk, { mixerId, receiverDeviceId, firstChannel, count }: FewPlaces): readonly FewPlace[] {
  const lanes = desk.plan.subscriptions.get(receiverDeviceId);
  return Array.from({ length: count }, (_, n): FewPlace => {
    const lane = lanes?.get(firstChannel + n);
    if (lane === undefined) return { is: 'free', sources: [], out: null, bus: null };
    if (lane.senderDeviceId !== mixerId) return { is: 'else', sources: [], out: null, bus: null };
    return desk.carries(lane.senderChannel);
  });
}

/**
 * Gives each place its sources: one alone by its direct out, several by a bus of their own. What stands as wanted is not touched, nor is
 * anything that others hear: a network output or a bus is taken only where nobody does. Places of other senders stay where nothing is wanted at them.
 * @param tap where in the strip sends are taken; null: default tap
 */
export function fillPlaces(plan: Plan, target: FewPlaces, wanted: readonly WantedPlace[], tap: Tap | null): PlacesFill {
  const commands: Command[] = [];
  let at = plan;
  // What one round gives up the next may take.
  for (let round = 0; ; round += 1) {
    const result = fillOnce(at, target, wanted, tap);
    commands.push(...result.commands);
    if (result.commands.length === 0 || result.left.length === 0 || round === target.count) {
      return { commands, left: result.left };
    }
    const applied = applyCommands(at, result.commands);
    if (!applied.ok) return { commands, left: result.left };
    at = applied.plan;
  }
}

/** As fillPlaces, where nothing is taken that anybody hears now but the place itself. */
function fillOnce(plan: PlacesTables, target: FewPlaces, wanted: readonly WantedPlace[], tap: Tap | null): PlacesFill {
  const mixer = mixerOf(plan, target.mixerId);
  if (mixer === null) return { commands: [], left: [] };
  const desk = new Desk(plan, target.mixerId, mixer);
  const terminals = desk.part?.terminals ?? [];
  const { mixerId: deviceId, receiverDeviceId, firstChannel } = target;
  const now = placesOn(desk, target);
  const commands: Command[] = [];
  const left: { place: number; why: PlaceLeftWhy }[] = [];
  /** The tap of a send from a source: as asked, where its terminal offers that. */
  const tapOf = (terminalId: string): Tap | null =>
    tap !== null && terminals.find((t) => t.id === terminalId)?.taps.includes(tap) === true ? tap : null;
  /** Whether the sends of a fold are taken where they are asked for. */
  const isTapped = ({ bus, sources }: FewPlace) =>
    bus === null ||
    tap === null ||
    sources.every((s) => {
      const send = plan.busSends.get(deviceId)?.get(`${mixer.bus.id}/${bus}/${keyOf(s)}`);
      return tapOf(s.terminalId) === null || send?.tap === tap;
    });
  const isKept = (n: number) => {
    const place = now[n];
    const sources = wanted[n]?.sources ?? [];
    return place !== undefined && place.is !== 'else' && isSameSet(place.sources, sources) && isTapped(place);
  };
  const takenOuts = new Set(desk.outs().filter((out) => desk.isHeardElsewhere(out, target)));
  for (const { out } of now) if (out !== null) takenOuts.add(out);
  const takenBuses = new Set(now.flatMap(({ bus }) => bus ?? []));
  /** Network outputs by what they will carry. */
  const outOf = new Map<string, number>();
  for (const out of desk.outs()) {
    const { is, sources } = desk.carries(out);
    const [only] = sources;
    if (is === 'alone' && only !== undefined && !outOf.has(keyOf(only))) outOf.set(keyOf(only), out);
  }
  // What somebody patched for later is taken last.
  const isPatched = (out: number) => plan.patches.get(deviceId)?.has(`${mixer.out.id}/${out}`) === true;
  const inTurn = desk.outs().sort((a, b) => Number(isPatched(a)) - Number(isPatched(b)) || b - a);
  const freeOut = (): number | undefined => inTurn.find((out) => !takenOuts.has(out));
  const lead = (out: number, from: MixSource) => {
    for (const [key, carrying] of outOf) if (carrying === out) outOf.delete(key);
    const end = { deviceId, terminalId: mixer.out.id, channel: out };
    commands.push(...feedCommand(plan, mixer.out, end, from, null));
  };
  const subscribe = (n: number, out: number) => {
    takenOuts.add(out);
    if (now[n]?.out === out) return;
    const lane = { receiverDeviceId, receiverChannel: firstChannel + n, senderDeviceId: deviceId, senderChannel: out };
    commands.push({ kind: 'subscribe', subscriptions: [lane] });
  };
  /** Leaves what a place has: its bus mixes nothing any more. */
  const emptied = (bus: number | null, but: readonly MixSource[] = []) => {
    const stays = new Set(but.map(keyOf));
    for (const send of plan.busSends.get(deviceId)?.values() ?? []) {
      const { terminalId, channel, fromTerminalId, fromChannel } = send;
      if (terminalId !== mixer.bus.id || channel !== bus) continue;
      if (stays.has(keyOf({ terminalId: fromTerminalId, channel: fromChannel }))) continue;
      commands.push({ kind: 'remove-bus-send', deviceId, terminalId, channel, fromTerminalId, fromChannel });
    }
  };
  const isOwnBus = (bus: number) =>
    now.filter((p) => p.bus === bus).length === 1 && !desk.isBusUsedElsewhere(bus, target);
  const isOwnOut = (out: number | null) =>
    now.filter((p) => p.out === out).length === 1 && out !== null && !desk.isHeardElsewhere(out, target);
  for (let n = 0; n < target.count; n += 1) {
    const place = now[n];
    const { sources = [], label = null } = wanted[n] ?? {};
    if (place === undefined || isKept(n)) continue;
    const [first] = sources;
    if (first === undefined) {
      if (place.is === 'else') continue;
      commands.push({ kind: 'unsubscribe', channels: [{ deviceId: receiverDeviceId, channel: firstChannel + n }] });
      if (place.bus !== null && isOwnBus(place.bus)) emptied(place.bus);
      continue;
    }
    const by = mixer.aloneBy.get(first.terminalId);
    if (sources.length === 1 && by !== undefined) {
      const known = outOf.get(keyOf(first));
      const out = known ?? freeOut();
      if (out === undefined) {
        left.push({ place: n, why: 'no-network-output-left' });
        continue;
      }
      if (known === undefined) {
        lead(out, { terminalId: by, channel: first.channel });
        outOf.set(keyOf(first), out);
      }
      if (place.bus !== null && isOwnBus(place.bus)) emptied(place.bus);
      subscribe(n, out);
      continue;
    }
    const own = place.bus !== null && isOwnBus(place.bus) ? place.bus : null;
    const bus = own ?? freeBus(desk, target, takenBuses);
    if (bus === null) {
      left.push({ place: n, why: 'no-bus-left' });
      continue;
    }
    const carrying = desk.outs().find((out) => {
      const feed = desk.feedOf(mixer.out.id, out);
      const canBeTaken = !takenOuts.has(out) || (out === place.out && isOwnOut(out));
      return feed?.terminalId === mixer.bus.id && feed.channel === bus && canBeTaken;
    });
    const out = carrying ?? freeOut();
    if (out === undefined) {
      left.push({ place: n, why: 'no-network-output-left' });
      continue;
    }
    takenBuses.add(bus);
    emptied(bus, sources);
    for (const { terminalId: fromTerminalId, channel: fromChannel } of sources) {
      const key = `${mixer.bus.id}/${bus}/${fromTerminalId}/${fromChannel}`;
      const known = plan.busSends.get(deviceId)?.get(key);
      const taken = tapOf(fromTerminalId) ?? (known?.isOn === true ? known.tap : null);
      if (known?.isOn === true && known.tap === taken) continue;
      const send = { deviceId, terminalId: mixer.bus.id, channel: bus, fromTerminalId, fromChannel };
      commands.push({
        kind: 'put-bus-send',
        send: { ...send, tap: taken, isOn: true, levelDb: known?.levelDb ?? null },
      });
    }
    const settings = plan.channelSettings.get(deviceId)?.get(`${mixer.bus.id}/${bus}`);
    if (label !== null && settings?.label !== label && (own === null || settings?.label == null)) {
      const end = { deviceId, terminalId: mixer.bus.id, channel: bus };
      commands.push({ kind: 'put-channel-settings', settings: { ...PLAIN_CHANNEL, ...settings, ...end, label } });
    }
    if (carrying === undefined) lead(out, { terminalId: mixer.bus.id, channel: bus });
    subscribe(n, out);
  }
  return { commands, left };
}

/** The first bus that mixes nothing, has no name and goes nowhere that anybody hears; null: there is none. */
function freeBus(desk: Desk, target: FewPlaces, taken: ReadonlySet<number>): number | null {
  const { id, channels } = desk.mixer.bus;
  for (let bus = 1; bus <= channels; bus += 1) {
    const isNamed = desk.plan.channelSettings.get(desk.mixerId)?.get(`${id}/${bus}`)?.label != null;
    if (taken.has(bus) || isNamed || desk.sendsInto(bus).length > 0) continue;
    if (!desk.isBusUsedElsewhere(bus, target)) return bus;
  }
  return null;
}

/** What many sources have in common in their names: `Tank mic` of `Tank mic 3`. */
const stemOf = (name: string): string => name.replace(/[\s,]*(\d+|left|right|l|r)$/i, '').trim();

/**
 * Which sources share a place, so that all of them fit: those of like names are folded first, the most of one name before the fewest; what is then
 * still too many goes into the last place.
 */
export function proposePlaces(
  sources: readonly (MixSource & { readonly name: string })[],
  count: number,
): readonly WantedPlace[] {
  let groups = sources.map((s) => ({ stem: s.name === '' ? keyOf(s) : stemOf(s.name), sources: [s] }));
  const like = new Map<string, number>();
  for (const { stem } of groups) like.set(stem, (like.get(stem) ?? 0) + 1);
  for (const [stem] of [...like].sort((a, b) => b[1] - a[1])) {
    if (groups.length <= count) break;
    const own = groups.filter((g) => g.stem === stem);
    const [first] = own;
    if (first === undefined || own.length < 2) continue;
    const folded = { stem, sources: own.flatMap((g) => g.sources) };
    groups = groups.flatMap((g) => (g === first ? [folded] : g.stem === stem ? [] : [g]));
  }
  if (groups.length > count && count > 0) {
    const rest = groups.slice(count - 1).flatMap((g) => g.sources);
    groups = [...groups.slice(0, count - 1), { stem: 'Others', sources: rest }];
  }
  return groups.map(({ stem, sources: own }) => ({
    sources: own.map(({ terminalId, channel }) => ({ terminalId, channel })),
    label: own.length > 1 ? stem : null,
  }));
}
