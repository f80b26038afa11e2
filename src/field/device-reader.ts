import { readChannelMap as channelMapOf, type ChannelMap } from '../core/formats/is08';
import { readEndState, type EndState } from '../core/formats/is05';
import { isMulticast, parseAddress } from '../core/network/address';
import { requestJson, requestText } from './http-json';

/** Reads and writes connections (IS-05) and channel maps (IS-08) of one device. */

export interface EndReading {
  readonly staged: EndState;
  readonly active: EndState;
  readonly readAt: number;
}

export type EndKind = 'senders' | 'receivers';

/** Ids come from outside: whatever they hold, they stay one part of the path. */
const endUrl = (href: string, kind: EndKind, id: string): string => `${href}/single/${kind}/${encodeURIComponent(id)}`;

export async function readEnd(href: string, kind: EndKind, id: string): Promise<EndReading> {
  const base = endUrl(href, kind, id);
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
  const { value } = await requestJson(`${endUrl(href, kind, id)}/staged`, { method: 'PATCH', body });
  return readEndState(value);
}

export async function readTransportFile(href: string, senderId: string): Promise<string> {
  return (await requestText(`${endUrl(href, 'senders', senderId)}/transportfile`)).text;
}

export async function readChannelMap(href: string): Promise<ChannelMap> {
  const [io, active] = await Promise.all([requestJson(`${href}/io`), requestJson(`${href}/map/active`)]);
  return channelMapOf(io.value, active.value, Date.now());
}

export type MapAction = Record<string, Record<string, { input: string | null; channel_index: number | null }>>;

export async function activateMap(href: string, action: MapAction): Promise<void> {
  const body = { activation: { mode: 'activate_immediate' }, action };
  await requestJson(`${href}/map/activations`, { method: 'POST', body });
}
