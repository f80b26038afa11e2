import type { MapLimits } from '../core/models/models-table';
import { isMulticast, parseAddress } from '../core/network/address';
import { requestJson, requestText } from './http-json';

/** IS-05 and IS-08 of one device, as we read them. */

export interface LegParams {
  readonly sourceIp: string | null;
  /** The group (or address) that a sender sends to, or that a receiver listens to. */
  readonly destinationIp: string | null;
  readonly port: number | null;
  readonly isEnabled: boolean;
}

export interface EndState {
  readonly isEnabled: boolean;
  readonly peerId: string | null;
  readonly legs: readonly LegParams[];
}

export interface EndReading {
  readonly staged: EndState;
  readonly active: EndState;
  readonly readAt: number;
}

type Raw = Record<string, unknown>;
const textOrNull = (value: unknown): string | null => (typeof value === 'string' ? value : null);

export function readEndState(value: unknown): EndState {
  const raw = (typeof value === 'object' && value !== null ? value : {}) as Raw;
  const params = Array.isArray(raw['transport_params']) ? (raw['transport_params'] as Raw[]) : [];
  return {
    isEnabled: raw['master_enable'] === true,
    peerId: textOrNull(raw['receiver_id']) ?? textOrNull(raw['sender_id']),
    legs: params.map((p) => ({
      sourceIp: textOrNull(p['source_ip']),
      // A receiver of a group names it; one that is sent to by itself names its own address.
      destinationIp: textOrNull(p['destination_ip']) ?? textOrNull(p['multicast_ip']) ?? textOrNull(p['interface_ip']),
      port: typeof p['destination_port'] === 'number' ? p['destination_port'] : null,
      isEnabled: p['rtp_enabled'] === true,
    })),
  };
}

export type EndKind = 'senders' | 'receivers';

export async function readEnd(href: string, kind: EndKind, id: string): Promise<EndReading> {
  const base = `${href}/single/${kind}/${id}`;
  const [staged, active] = await Promise.all([requestJson(`${base}/staged`), requestJson(`${base}/active`)]);
  return { staged: readEndState(staged.value), active: readEndState(active.value), readAt: Date.now() };
}

export interface StageRequest {
  readonly isEnabled: boolean;
  readonly peerId: string | null;
  /** Per leg; null leaves a leg as it is. */
  readonly legs: readonly { readonly group: string | null; readonly port: number; readonly sourceIp: string | null }[];
  readonly sdp: string | null;
  readonly activate: boolean;
}

/** PATCHes staged. Only what is wanted is named, so that what we do not know about stays as it is. */
export async function patchEnd(href: string, kind: EndKind, id: string, request: StageRequest): Promise<EndState> {
  const isSender = kind === 'senders';
  const body = {
    master_enable: request.isEnabled,
    ...(isSender ? {} : { sender_id: request.peerId }),
    ...(request.sdp === null ? {} : { transport_file: { data: request.sdp, type: 'application/sdp' } }),
    transport_params: request.legs.map((leg) =>
      leg.group === null
        ? { rtp_enabled: false }
        : isSender
          ? { destination_ip: leg.group, destination_port: leg.port, rtp_enabled: true }
          : {
              ...(isMulticast(parseAddress(leg.group) ?? 0)
                ? { multicast_ip: leg.group }
                : { multicast_ip: null, interface_ip: leg.group }),
              destination_port: leg.port,
              rtp_enabled: true,
              ...(leg.sourceIp === null ? {} : { source_ip: leg.sourceIp }),
            },
    ),
    ...(request.activate ? { activation: { mode: 'activate_immediate' } } : {}),
  };
  const { value } = await requestJson(`${href}/single/${kind}/${id}/staged`, { method: 'PATCH', body });
  return readEndState(value);
}

export async function readTransportFile(href: string, senderId: string): Promise<string> {
  return (await requestText(`${href}/single/senders/${senderId}/transportfile`)).text;
}

/** Inputs and outputs of the channel map, ordered so that channels can be counted through. */
export interface ChannelMap {
  readonly inputs: readonly {
    readonly id: string;
    readonly receiverId: string | null;
    readonly channels: number;
    /** Null: its channels are routed one by one, in any order. */
    readonly limits: MapLimits | null;
  }[];
  readonly outputs: readonly { readonly id: string; readonly sourceId: string | null; readonly channels: number }[];
  /** By output id and channel index: what feeds it. */
  readonly active: ReadonlyMap<string, ReadonlyMap<number, { readonly input: string; readonly index: number }>>;
  readonly readAt: number;
}

/** IS-08 caps of an input. What is missing or makes no sense limits nothing. */
function limitsOf(caps: unknown): MapLimits | null {
  const raw = (typeof caps === 'object' && caps !== null ? caps : {}) as Raw;
  const size = raw['block_size'];
  const blockSize = Number.isInteger(size) && (size as number) > 1 && (size as number) <= 4096 ? (size as number) : 1;
  const reordering = raw['reordering'] !== false;
  return blockSize === 1 && reordering ? null : { blockSize, reordering };
}

export async function readChannelMap(href: string): Promise<ChannelMap> {
  const [io, active] = await Promise.all([requestJson(`${href}/io`), requestJson(`${href}/map/active`)]);
  const { inputs, outputs } = (io.value ?? {}) as { inputs?: Record<string, Raw>; outputs?: Record<string, Raw> };
  const map = ((active.value ?? {}) as { map?: Record<string, Record<string, Raw>> }).map ?? {};
  const count = (raw: Raw) => (Array.isArray(raw['channels']) ? raw['channels'].length : 0);
  const byId = (a: { id: string }, b: { id: string }) => a.id.localeCompare(b.id, 'en', { numeric: true });
  return {
    inputs: Object.entries(inputs ?? {})
      .map(([id, raw]) => {
        const parent = (raw['parent'] ?? {}) as Raw;
        return {
          id,
          receiverId: parent['type'] === 'receiver' ? textOrNull(parent['id']) : null,
          channels: count(raw),
          limits: limitsOf(raw['caps']),
        };
      })
      .sort(byId),
    outputs: Object.entries(outputs ?? {})
      .map(([id, raw]) => ({ id, sourceId: textOrNull(raw['source_id']), channels: count(raw) }))
      .sort(byId),
    active: new Map(
      Object.entries(map).map(([output, entries]) => {
        const fed = new Map<number, { input: string; index: number }>();
        for (const [index, entry] of Object.entries(entries ?? {})) {
          const input = textOrNull(entry?.['input']);
          const channel = entry?.['channel_index'];
          if (input !== null && typeof channel === 'number') fed.set(Number(index), { input, index: channel });
        }
        return [output, fed];
      }),
    ),
    readAt: Date.now(),
  };
}

export type MapAction = Record<string, Record<string, { input: string | null; channel_index: number | null }>>;

export async function activateMap(href: string, action: MapAction): Promise<void> {
  const body = { activation: { mode: 'activate_immediate' }, action };
  await requestJson(`${href}/map/activations`, { method: 'POST', body });
}

/** Which input or output channel the device's own nth network channel is, counting those that no stream feeds or takes. */
export function ownChannel<T extends { readonly id: string; readonly channels: number }>(
  all: readonly T[],
  isOwn: (item: T) => boolean,
  channel: number,
): { readonly id: string; readonly index: number } | null {
  let left = channel - 1;
  for (const item of all) {
    if (!isOwn(item)) continue;
    if (left < item.channels) return { id: item.id, index: left };
    left -= item.channels;
  }
  return null;
}

/** Own output channels, counted from 1, that one of these receivers feeds: which of them, and from which position. */
export function fedChannels(
  map: ChannelMap,
  receivers: readonly { readonly id: string }[],
): { readonly channel: number; readonly streamNumber: number; readonly position: number }[] {
  const found: { channel: number; streamNumber: number; position: number }[] = [];
  let channel = 0;
  for (const output of map.outputs) {
    if (output.sourceId !== null) continue;
    for (let index = 0; index < output.channels; index += 1) {
      channel += 1;
      const fed = map.active.get(output.id)?.get(index);
      const receiverId = fed && map.inputs.find((i) => i.id === fed.input)?.receiverId;
      const streamNumber = receivers.findIndex((r) => r.id === receiverId) + 1;
      if (fed !== undefined && streamNumber > 0) found.push({ channel, streamNumber, position: fed.index + 1 });
    }
  }
  return found;
}
