import { clockIdentityText } from '../clocks/dataset';
import { formatAddress } from '../network/address';
import type { Reckoning } from '../reckon/reckoning';
import type { Stream } from '../streams/stream';
import { writeSdp, type SdpAudio, type SdpLeg } from './sdp';

/** The description of one stream of the stream plan, as a file. */
export interface SdpFile {
  readonly streamId: string;
  readonly name: string;
  readonly text: string;
}

/** By custom of the trade the first dynamic payload type after 96; a device may send another. */
const PAYLOAD_TYPE = 97;

/**
 * All streams of the plan that have an address to be sent to, as their senders will describe them once they send (AES67 clause 8,
 * ST 2110-10 clause 8, ST 2022-7 for two legs). The reference clock is the grandmaster of the plan, where its identity is known.
 * @param nowMs in milliseconds since 1970: whoever knew the stream before takes this as newer
 */
export function sdpFiles(reckoning: Reckoning, nowMs: number): SdpFile[] {
  return [...reckoning.streamsBySender.values()].flat().flatMap((stream) => {
    const audio = plannedSdp(reckoning, stream, sessionVersion(nowMs));
    const name = `${stream.senderDeviceId}-${stream.streamNumber}.sdp`;
    return audio === null ? [] : [{ streamId: stream.id, name, text: writeSdp(audio) }];
  });
}

/** Seconds from 1900 to 1970. */
const NTP_OFFSET_S = 2_208_988_800;

/** RFC 8866 clause 5.2: a session that has changed has a higher version; the seconds of an NTP timestamp are recommended. */
const sessionVersion = (nowMs: number): number => Math.floor(nowMs / 1000) + NTP_OFFSET_S;

/** The description of a stream as the plan has it; null: it has no address to be sent to. */
export function plannedSdp(reckoning: Reckoning, stream: Stream, version = 1): SdpAudio | null {
  const { plan } = reckoning;
  const groups = reckoning.groupsByStream.get(stream.id);
  const legs = stream.legs.flatMap((leg): SdpLeg[] => {
    const group = groups?.[leg] ?? null;
    const sourceAddress = plan.interfaces.get(stream.senderDeviceId)?.get(leg)?.address ?? null;
    if (group === null || sourceAddress === null) return [];
    const ttl = stream.unicastTo === null ? plan.settings.multicastTtl : null;
    return [{ mid: leg, group: formatAddress(group), ttl, port: plan.settings.rtpPort, sourceAddress }];
  });
  const first = legs[0];
  if (first?.sourceAddress == null) return null;
  const name = (plan.devices.get(stream.senderDeviceId)?.name ?? stream.senderDeviceId).replace(/[\r\n]+/g, ' ');
  return {
    name: `${name} stream ${stream.streamNumber}`,
    // The same for the same stream: its number and the sender's address tell sessions of one sender, and senders, apart.
    origin: { username: '-', sessionId: String(stream.streamNumber), version, address: first.sourceAddress },
    payloadType: PAYLOAD_TYPE,
    format: stream.format,
    channels: stream.width,
    mediaClockOffset: 0,
    referenceClock: referenceClockOf(reckoning, stream.senderDeviceId),
    channelOrder: null,
    legs: legs.length === 2 ? legs : legs.map((l) => ({ ...l, mid: null })),
  };
}

/** `ptp=IEEE1588-2008:<identity>:<domain>`; null where the plan does not know whose time the sender keeps. */
function referenceClockOf({ plan, clocks }: Reckoning, deviceId: string): string | null {
  const kept = clocks.time.byDevice.get(deviceId);
  const identity = kept?.grandmasterId == null ? null : (plan.clocks.get(kept.grandmasterId)?.clockIdentity ?? null);
  return identity === null || kept === undefined
    ? null
    : `ptp=IEEE1588-2008:${clockIdentityText(identity)}:${kept.domainNumber}`;
}
