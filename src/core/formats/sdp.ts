import { parse, write, type SessionDescription } from 'sdp-transform';
import { isMulticast, parseAddress } from '../network/address';
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
  /** Further senders that one `a=source-filter` line names; missing: none. */
  readonly moreSources?: readonly string[];
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

/** What a problem comes to: nothing that matters to who receives it, something that may, or a stream that cannot be received. */
export type SdpSeverity = 'note' | 'caution' | 'error';

interface SdpProblem {
  /** The line it is about, counted from 1; null where a line is missing. */
  readonly line: number | null;
  readonly severity: SdpSeverity;
  readonly problem: string;
}
interface SdpResult {
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
    return { audio: null, problems: [{ line: null, severity: 'error', problem: UNREADABLE_SDP }] };
  }
}

function readAudio(text: string): SdpResult {
  const problems: SdpProblem[] = [];
  const lines = text.split(/\r\n|\n|\r/);
  const lineOf = (pattern: RegExp) => {
    const index = lines.findIndex((l) => pattern.test(l));
    return index < 0 ? null : index + 1;
  };
  const say = (severity: SdpSeverity, problem: string, pattern?: RegExp) =>
    problems.push({ line: pattern ? lineOf(pattern) : null, severity, problem });
  const stop = (problem: string, pattern?: RegExp): SdpResult => {
    say('error', problem, pattern);
    return { audio: null, problems };
  };
  if (text.length > MAX_LENGTH) return stop(`longer than ${MAX_LENGTH} characters`);
  lines.forEach((line, index) => {
    if (line !== '' && !/^[a-z]=/.test(line))
      problems.push({ line: index + 1, severity: 'caution', problem: 'not a line of the form x=value' });
  });
  if (!/^v=0\s*$/.test(lines[0] ?? '')) return stop('does not begin with v=0', /^v=/);

  let session: SessionDescription;
  try {
    session = parse(text);
  } catch {
    return stop(UNREADABLE_SDP);
  }
  if (!session.origin) say('caution', 'no o= line', /^o=/);
  const media = (session.media ?? []).filter((m) => m.type === 'audio');
  const first = media[0];
  if (first === undefined) return stop('no m=audio line', /^m=/);
  const sections = sectionsOf(lines);
  const audioSections = sections.media.filter(([m]) => m?.startsWith('m=audio') === true);
  /** An attribute of the first audio medium, or of the session: never of a picture beside it. */
  const attribute = (name: string) => attributeIn([audioSections[0] ?? [], sections.session], name);
  const coded = codingOf(first);
  if (typeof coded === 'string') return stop(coded, coded.includes('payload') ? /^m=audio/ : /^a=rtpmap/);
  const { payloadType, encoding, rateHz, channels } = coded;
  if (payloadType < 96)
    say('note', `static payload type ${payloadType}: ${encoding} of ${channels} channels (RFC 3551)`, /^m=audio/);
  for (const [index, other] of media.slice(1).entries()) {
    const leg = codingOf(other);
    const isSame =
      typeof leg !== 'string' && leg.encoding === encoding && leg.rateHz === rateHz && leg.channels === channels;
    if (!isSame)
      return stop(`leg ${index + 2} is not of the format of leg 1: both carry the same (ST 2022-7)`, /^m=audio/);
  }

  const frames = Number(attribute('framecount') ?? NaN);
  const told = media.map((m) => m.ptime).find((p) => p !== undefined);
  const ptime = told ?? (frames > 0 ? (frames * 1000) / rateHz : undefined);
  if (ptime === undefined) say('note', 'no a=ptime: 1 ms assumed (AES67 clause 7.2)', /^a=ptime/);
  const exactUs = ptime === undefined ? 1000 : snapPacketTime(Number(ptime), rateHz);
  // The same count of samples lasts longer at 44.1 kHz: many write the time that it has at 48 kHz.
  const packetTimeUs = exactUs ?? (rateHz === 44_100 ? snapPacketTime(Number(ptime), 48_000) : null);
  if (exactUs === null && packetTimeUs !== null) {
    const samples = samplesPerPacket(rateHz, packetTimeUs);
    say(
      'note',
      `packet time ${String(ptime)} ms is that of ${samples} samples at 48 kHz: ${samples} samples used`,
      /^a=ptime/,
    );
  }
  if (packetTimeUs === null)
    return stop(`packet time ${String(ptime)} ms is not one of AES67's`, /^a=(ptime|framecount)/);
  const format: StreamFormat = { encoding, rateHz, packetTimeUs };
  const sumProblem = streamSumProblem(channels, format);
  if (sumProblem !== null) {
    const why =
      sumProblem.reason === 'payload-too-large'
        ? `${sumProblem.payloadBytes} bytes in a packet are more than ${sumProblem.limitBytes}: at most ${sumProblem.channelsMax} channels`
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
    if (port % 2 !== 0) say('caution', `${where}: RTP port ${port} is odd`, /^m=audio/);
    const own = [audioSections[index] ?? [], sections.session];
    if (/SAVP/i.test(String(m.protocol)))
      return stop(`${where}: ${m.protocol} is encrypted, and cannot be received`, /^m=audio/);
    if (own.some((section) => section.includes('a=inactive')))
      say('caution', `${where}: a=inactive: nothing is sent`, /^a=inactive/);
    const [, written = ''] = /^c=IN IP4 (\S+)/.exec(own.flat().find((line) => line.startsWith('c=')) ?? '') ?? [];
    const isGroup = isMulticast(parseAddress(group) as number);
    if (isGroup && !written.includes('/'))
      say('caution', `${where}: ${group} without a time to live (RFC 8866)`, /^c=/);
    if (/\/\d+\/\d+$/.test(written))
      say('caution', `${where}: ${written} names several groups; the first is used`, /^c=/);
    const filters = sourceFiltersOf(own, group);
    const [sourceAddress = null, ...moreSources] = filters.included;
    if (filters.isExcluding) {
      say('caution', `${where}: senders excluded by a=source-filter are not told apart`, /^a=source-filter/);
    }
    const firstOctet = (parseAddress(group) as number) >>> 24;
    if (firstOctet === 232 && sourceAddress === null) {
      say('caution', `${where}: ${group} is source-specific and has no a=source-filter`, /^c=/);
    }
    legs.push({
      mid: m.mid === undefined ? null : String(m.mid),
      group,
      ttl: ttlOf(connection, parts),
      port,
      sourceAddress,
      ...(moreSources.length === 0 ? {} : { moreSources }),
    });
  }
  const duplicates = session.groups?.find((g) => g.type === 'DUP');
  if (legs.length > 2) return stop(`${legs.length} audio media: at most two legs`, /^m=audio/);
  if (legs.length === 2 && duplicates === undefined) {
    return stop('two audio media without a=group:DUP', /^m=audio/);
  }
  const unlike = legs.length === 2 ? unlikeLegs(media, legs, audioSections, sections.session) : null;
  if (unlike !== null) return stop(unlike, /^m=audio/);
  if (
    duplicates !== undefined &&
    String(duplicates.mids)
      .split(' ')
      .some((mid) => !legs.some((l) => l.mid === mid))
  ) {
    say('caution', `a=group:DUP names ${duplicates.mids}, which are not all there`, /^a=group/);
  }
  const direct = /direct=(\d+)/.exec(attribute('mediaclk') ?? '');
  if (direct === null) say('note', 'no a=mediaclk:direct', /^a=mediaclk/);
  const referenceClock = attribute('ts-refclk');
  if (referenceClock === null) say('caution', 'no a=ts-refclk: its clock is not stated', /^a=ts-refclk/);
  const channelOrder = /channel-order=([^;\s]+)/.exec(
    String(first.fmtp.find((f) => f.payload === payloadType)?.config ?? ''),
  );
  const named = channelsNamed(channelOrder?.[1] ?? '');
  if (named !== null && named > channels)
    say('caution', `channel-order names ${named} channels, and the stream has ${channels}`, /^a=fmtp/);
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

/** Why two legs do not carry the same packets (ST 2022-7, RFC 7104); null: nothing speaks against it. */
function unlikeLegs(
  media: readonly Media[],
  legs: readonly SdpLeg[],
  audioSections: readonly (readonly string[])[],
  session: readonly string[],
): string | null {
  const [a, b] = legs;
  if (a?.group === b?.group && a?.port === b?.port) return 'both legs go to the same group and port';
  const [first, second] = media.map((m) => m.ptime);
  if (first !== undefined && second !== undefined && Number(first) !== Number(second))
    return `packet times of the legs differ: ${first} and ${second} ms`;
  const [clockA, clockB] = [0, 1].map((n) => attributeIn([audioSections[n] ?? [], session], 'ts-refclk'));
  return clockA != null && clockB != null && clockA !== clockB
    ? `reference clocks of the legs differ: ${clockA} and ${clockB}`
    : null;
}

/** ST 2110-30 table 1: how many channels each group of a channel order has. */
const GROUPED: Readonly<Record<string, number>> = { M: 1, DM: 2, ST: 2, LtRt: 2, '51': 6, '71': 8, '222': 24, SGRP: 4 };

/** How many channels an order such as `SMPTE2110.(51,ST)` names; null: it is not of that form. */
function channelsNamed(order: string): number | null {
  const [, groups] = /^SMPTE2110\.\(([^)]*)\)$/.exec(order) ?? [];
  if (groups === undefined) return null;
  let sum = 0;
  for (const group of groups.split(',')) {
    const count = GROUPED[group.trim()] ?? Number(/^U(\d\d)$/.exec(group.trim())?.[1] ?? NaN);
    if (Number.isNaN(count)) return null;
    sum += count;
  }
  return sum;
}

type Media = SessionDescription['media'][number];

/** RFC 3551, table 4: what these numbers mean without an `a=rtpmap`. */
const STATIC_TYPES: Readonly<
  Record<number, { readonly encoding: Encoding; readonly rateHz: RateHz; readonly channels: number }>
> = {
  10: { encoding: 'L16', rateHz: 44_100, channels: 2 },
  11: { encoding: 'L16', rateHz: 44_100, channels: 1 },
};

/** What is in the packets of a medium, or why that cannot be told or heard. Names of encodings are alike in capitals and small letters (RFC 8866). */
function codingOf(
  medium: Media,
): { payloadType: number; encoding: Encoding; rateHz: RateHz; channels: number } | string {
  const payloadType = Number(String(medium.payloads ?? '').split(' ')[0]);
  const map = medium.rtp.find((r) => r.payload === payloadType);
  const fixed = STATIC_TYPES[payloadType];
  if (fixed !== undefined && map === undefined) return { payloadType, ...fixed };
  if (!Number.isInteger(payloadType) || ((payloadType < 96 || payloadType > 127) && fixed === undefined)) {
    return `payload type ${medium.payloads ?? ''} is not dynamic (96 to 127)`;
  }
  if (map === undefined) return `no a=rtpmap for payload type ${payloadType}`;
  const encoding = ENCODINGS.find((e) => e === String(map.codec).toUpperCase());
  if (encoding === undefined) return `encoding ${map.codec} is not one of ${ENCODINGS.join(', ')}`;
  const rateHz = RATES_HZ.find((r): r is RateHz => r === map.rate);
  if (rateHz === undefined) return `rate ${map.rate ?? 'missing'} is not one of ${RATES_HZ.join(', ')} Hz`;
  const channels = map.encoding == null ? 1 : Number(map.encoding);
  const isContradicted =
    fixed !== undefined && (encoding !== fixed.encoding || rateHz !== fixed.rateHz || channels !== fixed.channels);
  if (isContradicted) return `payload type ${payloadType} means something else than its a=rtpmap says (RFC 3551)`;
  return { payloadType, encoding, rateHz, channels };
}

/** The lines of the session, and those of each medium, its `m=` line first. */
function sectionsOf(lines: readonly string[]): { session: readonly string[]; media: readonly (readonly string[])[] } {
  const starts = lines.flatMap((line, index) => (line.startsWith('m=') ? [index] : []));
  return {
    session: lines.slice(0, starts[0] ?? lines.length),
    media: starts.map((start, n) => lines.slice(start, starts[n + 1] ?? lines.length)),
  };
}

/** The value of an attribute in the first of these sections that has it. */
function attributeIn(sections: readonly (readonly string[])[], name: string): string | null {
  for (const section of sections) {
    const line = section.find((l) => l.startsWith(`a=${name}:`));
    if (line !== undefined) return line.slice(name.length + 3).trim();
  }
  return null;
}

/**
 * RFC 4570: who may send to a group, by all `a=source-filter` lines that are for it or for every destination. Those of the medium have precedence
 * over those of the session.
 */
function sourceFiltersOf(
  sections: readonly (readonly string[])[],
  group: string,
): { included: readonly string[]; isExcluding: boolean } {
  for (const section of sections) {
    const found = section.flatMap((line) => {
      const match = /^a=source-filter:\s*(incl|excl)\s+IN\s+(?:IP4|\*)\s+(\S+)\s+(\S.*)/.exec(line);
      return match && (match[2] === group || match[2] === '*') ? [match] : [];
    });
    if (found.length === 0) continue;
    const included = (found.find((m) => m[1] === 'incl')?.[3] ?? '').split(/\s+/).filter((address) => address !== '');
    return { included, isExcluding: found.some((m) => m[1] === 'excl') };
  }
  return { included: [], isExcluding: false };
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
    // A line break in a name would begin a line of its own.
    name: audio.name.replace(/[\u0000-\u001f\u007f]+/g, ' ').trim() || '-',
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
              srcList: [leg.sourceAddress, ...(leg.moreSources ?? [])].join(' '),
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
