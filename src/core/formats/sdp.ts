import { parse, write, type SessionDescription } from 'sdp-transform';
import { parseAddress } from '../network/address';
import { visible } from '../plan/visible-text';
import {
  snapPacketTime,
  samplesPerPacket,
  ENCODINGS,
  RATES_HZ,
  type Encoding,
  type RateHz,
  type StreamFormat,
} from '../streams/format';
import { streamSumProblem } from '../streams/wire';

/** One leg of a session as SDP describes it (RFC 8866, AES67 clause 8, ST 2110-10 clause 8, ST 2022-7 with RFC 7104). */
export interface SdpLeg {
  readonly mid: string | null;
  readonly group: string;
  readonly ttl: number | null;
  readonly port: number;
  readonly sourceAddress: string | null;
}

export interface SdpAudio {
  readonly name: string;
  readonly origin: {
    readonly username: string;
    readonly sessionId: string;
    readonly version: number;
    readonly address: string;
  };
  readonly payloadType: number;
  readonly format: StreamFormat;
  readonly channels: number;
  /** `a=mediaclk:direct=<offset>`; null where the line is missing. */
  readonly mediaClockOffset: number | null;
  /** `ptp=IEEE1588-2008:<gmid>:<domain>`, `localmac=…`, as written. */
  readonly referenceClock: string | null;
  readonly channelOrder: string | null;
  /** One leg, or two that carry the same packets. */
  readonly legs: readonly SdpLeg[];
}

export interface SdpProblem {
  /** The line it is about, counted from 1; null where a line is missing. */
  readonly line: number | null;
  readonly problem: string;
}
export interface SdpResult {
  /** Null where the text does not describe an audio stream that could be sent. */
  readonly audio: SdpAudio | null;
  readonly problems: readonly SdpProblem[];
}

const MAX_LENGTH = 64 * 1024;

/** The problem of a text that is no session at all. */
export const UNREADABLE_SDP = 'cannot be read as SDP';

/**
 * Reads the audio stream of an SDP text. What is odd but can be understood is a problem beside the result, not instead of it.
 * Whatever the text is, it never throws: it comes from whoever sends a datagram.
 */
export function readSdp(text: string): SdpResult {
  try {
    return readAudio(text);
  } catch {
    // What the parser library makes of a line need not be what it says it makes.
    return { audio: null, problems: [{ line: null, problem: UNREADABLE_SDP }] };
  }
}

function readAudio(text: string): SdpResult {
  const problems: SdpProblem[] = [];
  const lines = text.split(/\r\n|\n|\r/);
  const lineOf = (pattern: RegExp) => {
    const index = lines.findIndex((l) => pattern.test(l));
    return index < 0 ? null : index + 1;
  };
  const say = (problem: string, pattern?: RegExp) => problems.push({ line: pattern ? lineOf(pattern) : null, problem });
  const stop = (problem: string, pattern?: RegExp): SdpResult => {
    say(problem, pattern);
    return { audio: null, problems };
  };
  if (text.length > MAX_LENGTH) return stop(`longer than ${MAX_LENGTH} characters`);
  lines.forEach((line, index) => {
    if (line !== '' && !/^[a-z]=/.test(line))
      problems.push({ line: index + 1, problem: 'not a line of the form x=value' });
  });
  if (!/^v=0\s*$/.test(lines[0] ?? '')) return stop('does not begin with v=0', /^v=/);

  let session: SessionDescription;
  try {
    session = parse(text);
  } catch {
    return stop(UNREADABLE_SDP);
  }
  if (!session.origin) say('no o= line', /^o=/);
  const media = (session.media ?? []).filter((m) => m.type === 'audio');
  const first = media[0];
  if (first === undefined) return stop('no m=audio line', /^m=/);
  const payloadType = Number(String(first.payloads ?? '').split(' ')[0]);
  if (!Number.isInteger(payloadType) || payloadType < 96 || payloadType > 127) {
    return stop(`payload type ${first.payloads ?? ''} is not dynamic (96 to 127)`, /^m=audio/);
  }
  const map = first.rtp.find((r) => r.payload === payloadType);
  if (map === undefined) return stop(`no a=rtpmap for payload type ${payloadType}`, /^a=rtpmap/);
  const encoding = ENCODINGS.find((e): e is Encoding => e === map.codec);
  if (encoding === undefined) return stop(`encoding ${map.codec} is not one of ${ENCODINGS.join(', ')}`, /^a=rtpmap/);
  const rateHz = RATES_HZ.find((r): r is RateHz => r === map.rate);
  if (rateHz === undefined)
    return stop(`rate ${map.rate ?? 'missing'} is not one of ${RATES_HZ.join(', ')} Hz`, /^a=rtpmap/);
  const channels = map.encoding == null ? 1 : Number(map.encoding);

  const ptime = first.ptime ?? session.media.map((m) => m.ptime).find((p) => p !== undefined);
  if (ptime === undefined) say('no a=ptime: 1 ms taken (AES67 clause 7.2)', /^a=ptime/);
  const packetTimeUs = ptime === undefined ? 1000 : snapPacketTime(Number(ptime), rateHz);
  if (packetTimeUs === null) return stop(`packet time ${String(ptime)} ms is none of AES67's`, /^a=ptime/);
  const format: StreamFormat = { encoding, rateHz, packetTimeUs };
  const sumProblem = streamSumProblem(channels, format);
  if (sumProblem !== null) {
    const why =
      sumProblem.reason === 'payload-too-large'
        ? `${sumProblem.payloadBytes} octets in a packet are more than ${sumProblem.limitBytes}: at most ${sumProblem.channelsMax} channels`
        : sumProblem.reason === 'channels-not-even'
          ? `${channels} channels of AM824: the count must be even`
          : 'no channels';
    return stop(why, /^a=rtpmap/);
  }

  const legs: SdpLeg[] = [];
  for (const [index, m] of media.entries()) {
    const where = `leg ${index + 1}`;
    const connection = m.connection ?? session.connection;
    // sdp-transform reads whatever looks like a number as one, wherever it stands.
    const parts = String(connection?.ip ?? '').split('/');
    const group = parts[0] ?? '';
    if (parseAddress(group) === null) return stop(`${where}: no IPv4 address in a c= line`, /^c=/);
    const port = Number(m.port);
    if (!Number.isInteger(port) || port < 1 || port > 65_535)
      return stop(`${where}: port ${port} is not 1 to 65535`, /^m=audio/);
    if (port % 2 !== 0) say(`${where}: RTP port ${port} is odd`, /^m=audio/);
    const filter = m.sourceFilter ?? session.sourceFilter;
    const sourceAddress = filter?.srcList === undefined ? null : (String(filter.srcList).split(' ')[0] ?? null);
    const firstOctet = (parseAddress(group) as number) >>> 24;
    if (firstOctet === 232 && sourceAddress === null) {
      say(`${where}: ${group} is source-specific and has no a=source-filter`, /^c=/);
    }
    legs.push({
      mid: m.mid === undefined ? null : String(m.mid),
      group,
      ttl: ttlOf(connection, parts),
      port,
      sourceAddress,
    });
  }
  const duplicates = session.groups?.find((g) => g.type === 'DUP');
  if (legs.length > 2) return stop(`${legs.length} audio media: at most two legs`, /^m=audio/);
  if (legs.length === 2 && duplicates === undefined) {
    return stop('two audio media that no a=group:DUP joins', /^m=audio/);
  }
  if (
    duplicates !== undefined &&
    String(duplicates.mids)
      .split(' ')
      .some((mid) => !legs.some((l) => l.mid === mid))
  ) {
    say(`a=group:DUP names ${duplicates.mids}, which are not all there`, /^a=group/);
  }
  // A value that looks like a number is given back as one.
  const all = [...(session.invalid ?? []), ...media.flatMap((m) => m.invalid ?? [])].map((i) => String(i.value));
  const clockLine =
    lines.find((l) => l.startsWith('a=mediaclk:'))?.slice('a=mediaclk:'.length) ??
    all.find((v) => v.startsWith('mediaclk:'));
  const direct = /direct=(\d+)/.exec(clockLine ?? '');
  if (direct === null) say('no a=mediaclk:direct', /^a=mediaclk/);
  const referenceClock =
    lines
      .find((l) => l.startsWith('a=ts-refclk:'))
      ?.slice('a=ts-refclk:'.length)
      .trim() ?? null;
  if (referenceClock === null) say('no a=ts-refclk', /^a=ts-refclk/);
  const channelOrder = /channel-order=([^;\s]+)/.exec(
    String(first.fmtp.find((f) => f.payload === payloadType)?.config ?? ''),
  );
  return {
    audio: {
      name: visible(String(session.name ?? '')),
      origin: {
        username: String(session.origin?.username ?? '-'),
        sessionId: String(session.origin?.sessionId ?? '0'),
        version: Number(session.origin?.sessionVersion ?? 0) || 0,
        address: String(session.origin?.address ?? ''),
      },
      payloadType,
      format,
      channels,
      mediaClockOffset: direct === null ? null : Number(direct[1]),
      referenceClock,
      channelOrder: channelOrder?.[1] ?? null,
      legs,
    },
    problems,
  };
}

function ttlOf(connection: { ip: string; ttl?: number } | undefined, parts: readonly string[]): number | null {
  if (Number.isInteger(connection?.ttl)) return connection?.ttl as number;
  const ttl = Number(parts[1]);
  return parts[1] === undefined || !Number.isInteger(ttl) ? null : ttl;
}

/** Writes the SDP of an audio stream with one or two legs. Reading it back gives the same stream. */
export function writeSdp(audio: SdpAudio): string {
  const { format } = audio;
  const packetMs = (samplesPerPacket(format.rateHz, format.packetTimeUs) * 1000) / format.rateHz;
  const ptime = Number(packetMs.toFixed(3));
  const text = write({
    version: 0,
    origin: {
      username: audio.origin.username,
      sessionId: audio.origin.sessionId,
      sessionVersion: audio.origin.version,
      netType: 'IN',
      ipVer: 4,
      address: audio.origin.address,
    },
    name: audio.name === '' ? '-' : audio.name,
    timing: { start: 0, stop: 0 },
    ...(audio.legs.length === 2 ? { groups: [{ type: 'DUP', mids: audio.legs.map((l) => l.mid).join(' ') }] } : {}),
    media: audio.legs.map((leg) => ({
      type: 'audio',
      port: leg.port,
      protocol: 'RTP/AVP',
      payloads: String(audio.payloadType),
      connection: { version: 4, ip: leg.ttl === null ? leg.group : `${leg.group}/${leg.ttl}` },
      ...(leg.sourceAddress === null
        ? {}
        : {
            sourceFilter: {
              filterMode: 'incl',
              netType: 'IN',
              addressTypes: 'IP4',
              destAddress: leg.group,
              srcList: leg.sourceAddress,
            },
          }),
      rtp: [{ payload: audio.payloadType, codec: format.encoding, rate: format.rateHz, encoding: audio.channels }],
      fmtp:
        audio.channelOrder === null
          ? []
          : [{ payload: audio.payloadType, config: `channel-order=${audio.channelOrder}` }],
      ptime,
      direction: 'recvonly' as const,
      ...(leg.mid === null ? {} : { mid: leg.mid }),
      invalid: [
        ...(audio.referenceClock === null ? [] : [{ value: `ts-refclk:${audio.referenceClock}` }]),
        ...(audio.mediaClockOffset === null ? [] : [{ value: `mediaclk:direct=${audio.mediaClockOffset}` }]),
      ],
    })),
  } as unknown as SessionDescription);
  return text;
}
