import { readChannelMap as channelMapOf, type ChannelMap } from '../core/formats/is08';
import { brokenConstraint, readConstraints, type LegConstraints } from '../core/formats/constraints';
import { readEndState, type EndState } from '../core/formats/is05';
import { readNumberState, readNumberUnit } from '../core/formats/is07';
import { rawOf, textOrNull, type Raw } from '../core/formats/raw';
import { sameValue } from '../core/plan/same-value';
import { WRITE_PATIENCE_MS } from '../core/reckon/interrupts';
import { isMulticast, parseAddress } from '../core/network/address';
import { failureOf, requestJson, requestText } from './http-json';
import { isSilence } from './device-rest';
import { AT_ONCE, type Activation } from './moment';
import { steadyNow } from './steady-clock';

/** Reads and writes connections (IS-05) and channel maps (IS-08) of one device. */

export interface EndReading {
  readonly staged: EndState;
  readonly active: EndState;
  readonly readAt: number;
}

export type ConnectionKind = 'senders' | 'receivers';

/** Ids come from outside: whatever they hold, they stay one part of the path. */
const endUrl = (href: string, kind: ConnectionKind, id: string): string =>
  `${href}/single/${kind}/${encodeURIComponent(id)}`;

export async function readEnd(href: string, kind: ConnectionKind, id: string): Promise<EndReading> {
  const base = endUrl(href, kind, id);
  const [staged, active] = await Promise.all([requestJson(`${base}/staged`), requestJson(`${base}/active`)]);
  const waiting = readEndState(staged.value);
  const carrying = readEndState(active.value);
  // Mostly nothing waits: then one state stands for both, of tens of thousands.
  return { staged: sameValue(waiting, carrying) ? carrying : waiting, active: carrying, readAt: steadyNow() };
}

/** What one leg sends to, or listens to. */
export interface LegTarget {
  /** A group, or for unicast the address of the receiver. */
  readonly group: string;
  readonly port: number;
  readonly sourceIp: string | null;
}

/** Whether legs are just as they are to be: where each goes or listens, and off where it is not used. */
export function isOnLegs(own: EndState['legs'], wanted: readonly (LegTarget | null)[]): boolean {
  return own.every((leg, n) => {
    const to = wanted[n] ?? null;
    if (to === null) return !leg.isEnabled;
    const isFrom = to.sourceIp === null || leg.sourceIp === null || leg.sourceIp === to.sourceIp;
    return leg.isEnabled && isFrom && leg.destinationIp === to.group && (leg.port === null || leg.port === to.port);
  });
}

interface StageRequest {
  readonly isEnabled: boolean;
  readonly peerId: string | null;
  /** Each leg that the device has, in its order; null: that leg is not used. Empty: the legs stay as they are. */
  readonly legs: readonly (LegTarget | null)[];
  readonly sdp: string | null;
  readonly activate: boolean;
  /** When, where not at once. */
  readonly activation?: Activation;
}

/**
 * PATCHes staged. Only what is wanted is named, so that what we do not know about stays as it is. IS-05 wants `transport_params`, where they are
 * named at all, to be as many as the device has legs: legs that are not used are switched off, so that nothing of an earlier stream stays on them.
 */
export async function patchEnd(
  href: string,
  kind: ConnectionKind,
  id: string,
  request: StageRequest,
): Promise<EndState> {
  const isSender = kind === 'senders';
  const { legs } = request;
  const params = legs.map((leg) => legParams(leg, isSender));
  if (legs.length > 0) await mustBeTaken(href, kind, id, params);
  const body = {
    master_enable: request.isEnabled,
    ...(isSender ? {} : { sender_id: request.peerId }),
    ...(request.sdp === null ? {} : { transport_file: { data: request.sdp, type: 'application/sdp' } }),
    ...(legs.length === 0 ? {} : { transport_params: params }),
    ...(request.activate ? { activation: request.activation ?? AT_ONCE } : {}),
  };
  const url = `${endUrl(href, kind, id)}/staged`;
  const { isEnabled, activate, activation } = request;
  const isThere = (end: EndState) => end.isEnabled === isEnabled && (legs.length === 0 || isOnLegs(end.legs, legs));
  return written(
    async () =>
      readEndState(
        (await unlocked(() => requestJson(url, { method: 'PATCH', body, timeoutMs: WRITE_PATIENCE_MS }))).value,
      ),
    async () => {
      const { staged, active } = await readEnd(href, kind, id);
      return isThere(activate && activation === undefined ? active : staged) ? staged : null;
    },
  );
}

/**
 * Writes: a device that sets up a stream before it answers has more time for it than to say how it is. Where no answer comes in time, what the device has by then says whether it did it. Undone while it is still at work, it would be in two minds.
 * @param readBack what it has; null: not what was written
 */
async function written<T>(write: () => Promise<T>, readBack: () => Promise<T | null>): Promise<T> {
  try {
    return await write();
  } catch (error) {
    const found = failureOf(error).kind === 'timeout' ? await readBack().catch(() => null) : null;
    if (found === null) throw error;
    return found;
  }
}

/**
 * Holds parameters against what the device says that it takes, so that nothing is sent that it would refuse, and the engineer reads why. Throws
 * where it takes something else; a device that does not say what it takes is asked to do it.
 */
async function mustBeTaken(href: string, kind: ConnectionKind, id: string, params: readonly Raw[]): Promise<void> {
  let constraints: LegConstraints | null = null;
  try {
    constraints = readConstraints((await requestJson(`${endUrl(href, kind, id)}/constraints`)).value);
  } catch (error) {
    const { kind: how } = failureOf(error);
    if (how !== 'refused' && how !== 'wrong-answer') throw error;
  }
  const broken = constraints === null ? null : brokenConstraint(constraints, params);
  if (broken === null) return;
  const { leg, parameter, value, takes } = broken;
  const where = params.length > 1 ? ` on leg ${leg + 1}` : '';
  throw new Error(
    takes === null
      ? `it has no ${parameter}${where}, which was to be ${String(value)}`
      : `it takes only ${takes} as ${parameter}${where}, and was to take ${String(value)}`,
  );
}

/** An end as it is now, with all that it takes to put it back there. */
export interface EndBefore {
  readonly active: EndState;
  /** What a receiver was sent of its stream; null: nothing, or it is a sender. */
  readonly sdp: string | null;
}

export async function readHeard(href: string, receiverId: string): Promise<EndBefore> {
  const { value } = await requestJson(`${endUrl(href, 'receivers', receiverId)}/active`);
  return { active: readEndState(value), sdp: textOrNull(rawOf(rawOf(value)['transport_file'])['data']) };
}

/** Puts an end back to what it was, where it is not that already; staged parameters too, so that nobody starts what failed. */
export async function putBackEnd(
  href: string,
  kind: ConnectionKind,
  id: string,
  { active, sdp }: EndBefore,
): Promise<void> {
  const now = await readEnd(href, kind, id);
  const legs = active.legs.map(({ isEnabled, destinationIp, port, sourceIp }) =>
    isEnabled && destinationIp !== null && port !== null ? { group: destinationIp, port, sourceIp } : null,
  );
  const isThere = (state: EndState) =>
    state.isEnabled === active.isEnabled && (!active.isEnabled || sameValue(state.legs, active.legs));
  if (isThere(now.active) && isThere(now.staged)) return;
  const request = { isEnabled: active.isEnabled, peerId: active.peerId, legs: active.isEnabled ? legs : [], sdp };
  await patchEnd(href, kind, id, { ...request, activate: !isThere(now.active) });
}

/** Locked (423) while an activation that somebody scheduled is still to come: it is waited for a while. */
const LOCKED_MS = 5_000;
const LOCKED_AGAIN_MS = 250;

async function unlocked<T>(ask: () => Promise<T>): Promise<T> {
  const end = steadyNow() + LOCKED_MS;
  for (;;) {
    try {
      return await ask();
    } catch (error) {
      const failure = failureOf(error);
      if (failure.kind !== 'refused' || failure.status !== 423 || steadyNow() > end) throw error;
      await new Promise((resolve) => setTimeout(resolve, LOCKED_AGAIN_MS));
    }
  }
}

function legParams(leg: LegTarget | null, isSender: boolean): Record<string, unknown> {
  if (leg === null) return { rtp_enabled: false };
  const { group, port, sourceIp } = leg;
  if (isSender) return { destination_ip: group, destination_port: port, rtp_enabled: true };
  return {
    ...(isMulticast(parseAddress(group) ?? 0) ? { multicast_ip: group } : { multicast_ip: null, interface_ip: group }),
    destination_port: port,
    rtp_enabled: true,
    ...(sourceIp === null ? {} : { source_ip: sourceIp }),
  };
}

export async function readTransportFile(href: string, senderId: string): Promise<string> {
  return (await requestText(`${endUrl(href, 'senders', senderId)}/transportfile`)).text;
}

export async function readChannelMap(href: string): Promise<ChannelMap> {
  const [io, active] = await Promise.all([requestJson(`${href}/io`), requestJson(`${href}/map/active`)]);
  return channelMapOf(io.value, active.value, steadyNow());
}

/** A number that a source of events tells, and when it was read. */
export interface EventReading {
  readonly value: number;
  /** Empty: it has none. */
  readonly unit: string;
  readonly readAt: number;
}

/** Reads a source of events (IS-07); null: it tells no number now. */
export async function readEvent(href: string, sourceId: string): Promise<EventReading | null> {
  const base = `${href}/sources/${encodeURIComponent(sourceId)}`;
  const [type, state] = await Promise.all([requestJson(`${base}/type`), requestJson(`${base}/state`)]);
  const unit = readNumberUnit(type.value);
  const value = readNumberState(state.value);
  return unit === null || value === null ? null : { value, unit, readAt: steadyNow() };
}

export type MapAction = Record<string, Record<string, { input: string | null; channel_index: number | null }>>;

/** Asks a device to change its channel map later; by the id of the activation it can be taken back. */
export async function activateMapAt(href: string, action: MapAction, activation: Activation): Promise<string> {
  const body = { activation, action };
  try {
    const { value } = await unlocked(() => requestJson(`${href}/map/activations`, { method: 'POST', body }));
    const [id] = Object.keys(rawOf(value));
    if (id === undefined) throw new Error('accepted, but without the number of the activation');
    return id;
  } catch (error) {
    // It may have taken it all the same: what it has of ours must not come by itself. What went wrong first is what is reported.
    if (!isSilence(failureOf(error))) await cancelLike(href, action).catch(() => undefined);
    throw error;
  }
}

/** Takes back all that a device is to do later with just this action. */
async function cancelLike(href: string, action: MapAction): Promise<void> {
  const waiting = rawOf((await requestJson(`${href}/map/activations`)).value);
  for (const [id, own] of Object.entries(waiting)) {
    if (sameValue(rawOf(own)['action'], action)) await cancelMapActivation(href, id);
  }
}

/** Takes back what was to be done later. One that it has done by now, or does not know, is no error. */
export async function cancelMapActivation(href: string, id: string): Promise<void> {
  await requestJson(`${href}/map/activations/${encodeURIComponent(id)}`, { method: 'DELETE' }).catch(
    (error: unknown) => {
      const failure = failureOf(error);
      if (failure.kind !== 'refused' || failure.status !== 404) throw error;
    },
  );
}

/** Whether a channel map is as an action wanted it, and what the device says of the last change. */
export async function readMapChange(
  href: string,
  action: MapAction,
): Promise<{ isDone: boolean; activation: unknown }> {
  const { value } = await requestJson(`${href}/map/active`);
  const map = rawOf(rawOf(value)['map']);
  return { isDone: isMapped(map, action), activation: rawOf(value)['activation'] };
}

function isMapped(map: Raw, action: MapAction): boolean {
  return Object.entries(action).every(([outputId, entries]) =>
    Object.entries(entries).every(([index, { input, channel_index }]) => {
      const now = rawOf(rawOf(map[outputId])[index]);
      return (now['input'] ?? null) === input && (now['channel_index'] ?? null) === channel_index;
    }),
  );
}

/** Takes back an activation of a sender or receiver that is still to come (IS-05: mode null). */
export async function cancelActivation(href: string, kind: ConnectionKind, id: string): Promise<void> {
  await requestJson(`${endUrl(href, kind, id)}/staged`, { method: 'PATCH', body: { activation: { mode: null } } });
}

/** What an end says of its last activation. */
export async function readActivation(href: string, kind: ConnectionKind, id: string): Promise<unknown> {
  return rawOf((await requestJson(`${endUrl(href, kind, id)}/active`)).value)['activation'];
}

/** Changes a channel map at once, and reads it back: a device that says yes need not have done it. */
export async function activateMap(href: string, action: MapAction): Promise<void> {
  const body = { activation: AT_ONCE, action };
  const isDone = async () => (await readMapChange(href, action)).isDone;
  const url = `${href}/map/activations`;
  await written<unknown>(
    () => unlocked(() => requestJson(url, { method: 'POST', body, timeoutMs: WRITE_PATIENCE_MS })),
    async () => (await isDone()) || null,
  );
  if (!(await isDone())) throw new Error('accepted, but not applied');
}
