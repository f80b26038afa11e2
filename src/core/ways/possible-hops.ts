import { pairOf } from '../reckon/pair';
import { profileOfDevice } from '../reckon/reckon';
import type { Reckoning } from '../reckon/reckoning';
import { fedBy } from '../signal/fed-by';
import { nodeOf } from '../signal/graph';
import type { HopKind } from '../signal/hop';
import { pluggedAt } from '../signal/levels';
import { SIGNAL_FORMATS, type SignalFormat } from '../signal/terminal-shape';
import { unitsOf } from '../slots/slot-bus';
import { NETWORK_IN, NETWORK_OUT, SLOTS_IN, SLOTS_OUT, type Terminal } from '../signal/terminals';

/** A terminal of a device of the plan. */
export interface TerminalAt {
  readonly deviceId: string;
  readonly terminalId: string;
}

/** What could feed what: a step that the plan has or could have, from all channels of a terminal to those of another. */
export interface PossibleHop {
  readonly from: TerminalAt;
  readonly to: TerminalAt;
  /** What a normal feed or fixed mix leads is led without a command. */
  readonly kind: HopKind;
  /** How many channels the two could carry, whatever is planned of them. */
  readonly most: number;
  /**
   * How many more they could take now, without taking anything away. A lane carries what its receiver does not receive from there yet: a device
   * that routes in blocks may be refused a channel that it is sent a second time.
   */
  readonly free: number;
  /** What a cable between them may carry, in the order of preference of the output; empty: it is no cable. */
  readonly formats: readonly SignalFormat[];
}

/** Every step that could lead on from a terminal. Cost: the terminals of the plan. */
export function possibleHopsFrom(reckoning: Reckoning, from: TerminalAt): readonly PossibleHop[] {
  const terminal = terminalIn(reckoning, from);
  if (terminal === undefined) return [];
  if (terminal.direction !== 'out') return insideHops(reckoning, from, terminal);
  if (terminal.id === NETWORK_OUT) return laneHops(reckoning, from, terminal);
  return terminal.id === SLOTS_OUT ? slotHops(reckoning, from, terminal) : cableHops(reckoning, from, terminal);
}

const terminalIn = ({ signal }: Reckoning, { deviceId, terminalId }: TerminalAt): Terminal | undefined =>
  signal.parts.get(deviceId)?.terminals.find((t) => t.id === terminalId);

/** The channels of a terminal of which something holds, asked of the node of each. */
function channelsWhere({ signal }: Reckoning, end: TerminalAt, { channels }: Terminal, is: (node: number) => boolean) {
  const first = nodeOf(signal, { ...end, channel: 1 });
  const found = new Set<number>();
  for (let n = 0; n < channels; n += 1) if (is(first + n)) found.add(n + 1);
  return found;
}

/** Channels that no source comes to: what they are normalled or patched to is silent. */
function silentAt(reckoning: Reckoning, end: TerminalAt, terminal: Terminal): ReadonlySet<number> {
  const first = reckoning.signal.firstNode.get(end.deviceId) ?? 0;
  const flow = reckoning.signalFlow.byDevice.get(end.deviceId);
  return channelsWhere(reckoning, end, terminal, (node) => flow?.isFed[node - first] !== 1);
}

function insideHops(reckoning: Reckoning, from: TerminalAt, terminal: Terminal): PossibleHop[] {
  const { deviceId } = from;
  const others = reckoning.signal.parts.get(deviceId)?.terminals ?? [];
  return others.flatMap((t): PossibleHop[] => {
    const to = { deviceId, terminalId: t.id };
    const most = Math.min(terminal.channels, t.channels);
    // A bus takes what it is sent beside what it has.
    const sum = { from, to, most: t.channels, free: t.channels, formats: [] };
    const kinds: PossibleHop[] = [];
    if (t.mixes === from.terminalId) kinds.push({ ...sum, kind: 'mix' });
    if (t.sendsFrom.includes(from.terminalId)) kinds.push({ ...sum, kind: 'send' });
    const silent = silentAt(reckoning, to, t);
    if (t.normalledTo === from.terminalId) {
      const patched = reckoning.signal.parts.get(deviceId)?.patches;
      const isLed = (channel: number) => silent.has(channel) && patched?.has(`${t.id}/${channel}`) !== true;
      const led = Array.from({ length: t.normalledChannels }, (_, n) => n + 1).filter(isLed);
      kinds.push({ from, to, kind: 'normal', most: t.normalledChannels, free: led.length, formats: [] });
    }
    if (t.patchFrom.includes(from.terminalId))
      kinds.push({ from, to, kind: 'patch', most, free: Math.min(most, silent.size), formats: [] });
    return kinds;
  });
}

const isSocket = ({ kind }: Terminal) => kind === 'connector' || kind === 'link';

/** What both ends can be set to; where a model does not say, it may be anything. */
function sharedFormats(a: Terminal, b: Terminal): readonly SignalFormat[] {
  const first = a.formats.length === 0 ? SIGNAL_FORMATS : a.formats;
  return first.filter((f) => b.formats.length === 0 || b.formats.includes(f));
}

function cableHops(reckoning: Reckoning, from: TerminalAt, terminal: Terminal): PossibleHop[] {
  if (!isSocket(terminal)) return [];
  const { signal, plan } = reckoning;
  const isFreeAt = (end: TerminalAt, way: 'out' | 'in') => {
    const first = nodeOf(signal, { ...end, channel: 1 });
    return (node: number) => {
      const isJoined = way === 'out' ? fedBy(signal, node).length > 0 : (signal.feeders[node] as number) >= 0;
      return !isJoined && pluggedAt(plan, { ...end, channel: node - first + 1 }) === undefined;
    };
  };
  const freeHere = channelsWhere(reckoning, from, terminal, isFreeAt(from, 'out')).size;
  const hops: PossibleHop[] = [];
  for (const [deviceId, part] of signal.parts) {
    for (const t of part.terminals) {
      const formats = t.direction === 'in' && isSocket(t) ? sharedFormats(terminal, t) : [];
      if (formats.length === 0) continue;
      const to = { deviceId, terminalId: t.id };
      const free = Math.min(freeHere, channelsWhere(reckoning, to, t, isFreeAt(to, 'in')).size);
      hops.push({ from, to, kind: 'cable', most: Math.min(terminal.channels, t.channels), free, formats });
    }
  }
  return hops;
}

function laneHops(reckoning: Reckoning, from: TerminalAt, { channels }: Terminal): PossibleHop[] {
  const { plan, signal, lanesByReceiver, budgetByDevice } = reckoning;
  const sender = profileOfDevice(reckoning, from.deviceId);
  if (sender === null) return [];
  return [...signal.parts].flatMap(([deviceId, part]): PossibleHop[] => {
    const receiver = deviceId === from.deviceId ? null : profileOfDevice(reckoning, deviceId);
    const input = part.terminals.find((t) => t.id === NETWORK_IN);
    if (receiver === null || input === undefined || !pairOf(sender, receiver).fits) return [];
    const to = { deviceId, terminalId: NETWORK_IN };
    const budget = budgetByDevice.get(deviceId);
    const isFromHere = [...(lanesByReceiver.get(deviceId)?.values() ?? [])].some(
      (lane) => lane.verdict !== 'refused' && lane.subscription.senderDeviceId === from.deviceId,
    );
    const streamsLeft =
      budget?.streamsReceive.limit == null ? 1 : budget.streamsReceive.limit - budget.streamsReceive.used;
    const left = isFromHere || streamsLeft > 0 ? input.channels - (plan.subscriptions.get(deviceId)?.size ?? 0) : 0;
    const most = Math.min(channels, input.channels);
    return [{ from, to, kind: 'lane', most, free: Math.max(0, Math.min(channels, left)), formats: [] }];
  });
}

function slotHops({ plan, signal }: Reckoning, from: TerminalAt, { channels }: Terminal): PossibleHop[] {
  const own = plan.slotUnits.get(from.deviceId);
  if (own === undefined) return [];
  const units = unitsOf(plan, own.busId);
  const isOneWay = plan.slotBuses.get(own.busId)?.shape === 'one-way-chain';
  const listening = isOneWay ? units.slice(units.findIndex(({ unit }) => unit.id === own.id) + 1) : units;
  return listening.flatMap(({ unit, ability }): PossibleHop[] => {
    const input = signal.parts.get(unit.id)?.terminals.find((t) => t.id === SLOTS_IN);
    if (input === undefined) return [];
    const off = unit.hears.filter((block) => block === null).length * ability.blockSize;
    const to = { deviceId: unit.id, terminalId: SLOTS_IN };
    return [
      { from, to, kind: 'slot', most: Math.min(channels, input.channels), free: Math.min(channels, off), formats: [] },
    ];
  });
}
