import { Unzlib } from 'fflate';
import { formatAddress } from '../network/address';

/**
 * Session announcements (SAP, RFC 2974): UDP port 9875, group 239.255.255.255 within a site, 224.2.127.254 beyond. What they carry
 * is an SDP. Message id hash and origin together tell one session from another, and one version of it from the next.
 */
export const SAP_PORT = 9875;
export const SAP_GROUPS = ['239.255.255.255', '224.2.127.254'] as const;

export interface SapMessage {
  readonly kind: 'announce' | 'delete';
  readonly messageIdHash: number;
  /** Who announces it. */
  readonly origin: string;
  /** Where it is left out, the payload has to be SDP (clause 6). */
  readonly payloadType: string;
  readonly payload: string;
}

type SapResult = { readonly ok: true; readonly message: SapMessage } | { readonly ok: false; readonly problem: string };

const HEADER = 4;
/** Clause 6 wants less than 1 kB; a stream with two legs and long names takes some more. */
const PACKET_MAX = 16 * 1024;
/** So many octets are unpacked at once: zlib makes at most some thousand of each. */
const UNPACK_STEP = 64;
export const SDP_TYPE = 'application/sdp';

/** Reads one datagram, compressed ones too (clause 6: with zlib). Encrypted ones are said to be so. */
export function readSap(packet: Uint8Array): SapResult {
  const no = (problem: string): SapResult => ({ ok: false, problem });
  if (packet.length > PACKET_MAX) return no(`${packet.length} bytes are more than ${PACKET_MAX}`);
  if (packet.length < HEADER + 4) return no(`${packet.length} bytes are too few for a header`);
  const flags = packet[0] as number;
  if (flags >> 5 !== 1) return no(`version ${flags >> 5} is not 1`);
  if ((flags & 0x02) !== 0) return no('it is encrypted');
  const originLength = (flags & 0x10) === 0 ? 4 : 16;
  const start = HEADER + originLength + (packet[1] as number) * 4;
  if (packet.length < start) return no('it ends within its header');
  const originOctets = packet.subarray(HEADER, HEADER + originLength);
  const isCompressed = (flags & 0x01) !== 0;
  const rest = isCompressed ? unpacked(packet.subarray(start)) : packet.subarray(start);
  if (rest === null) return no(`what is compressed in it cannot be unpacked to at most ${PACKET_MAX} bytes`);
  let text: string;
  try {
    text = new TextDecoder('utf-8', { fatal: true }).decode(rest);
  } catch {
    return no('the payload is not text in UTF-8');
  }
  // Without a type it begins with the SDP itself; with one, a zero octet ends the type.
  const end = text.indexOf('\0');
  const isTyped = end >= 0 && !text.startsWith('v=0');
  return {
    ok: true,
    message: {
      kind: (flags & 0x04) === 0 ? 'announce' : 'delete',
      messageIdHash: ((packet[2] as number) << 8) | (packet[3] as number),
      origin: originLength === 4 ? formatAddress(numberOf(originOctets)) : inHex(originOctets),
      payloadType: isTyped ? text.slice(0, end) : SDP_TYPE,
      payload: isTyped ? text.slice(end + 1) : text,
    },
  };
}

/** What zlib makes of it, piece by piece, so that a small datagram cannot become a large text; null: too much, or nothing that zlib can read. */
function unpacked(packed: Uint8Array): Uint8Array | null {
  const out = new Uint8Array(PACKET_MAX);
  let size = 0;
  let isWhole = false;
  const unzlib = new Unzlib((piece, isLast) => {
    if (size + piece.length <= PACKET_MAX) out.set(piece, size);
    size += piece.length;
    isWhole = isLast;
  });
  try {
    for (let at = 0; at < packed.length && size <= PACKET_MAX; at += UNPACK_STEP) {
      unzlib.push(packed.subarray(at, at + UNPACK_STEP), at + UNPACK_STEP >= packed.length);
    }
  } catch {
    return null;
  }
  return isWhole && size <= PACKET_MAX ? out.subarray(0, size) : null;
}

/** Writes a datagram with an IPv4 origin, its type stated, neither authenticated nor encrypted nor compressed. */
export function writeSap(
  { kind, messageIdHash, payload }: Omit<SapMessage, 'origin' | 'payloadType'>,
  origin: number,
): Uint8Array {
  const body = new TextEncoder().encode(`${SDP_TYPE}\0${payload}`);
  const packet = new Uint8Array(HEADER + 4 + body.length);
  packet[0] = 0x20 | (kind === 'delete' ? 0x04 : 0);
  packet[2] = (messageIdHash >> 8) & 0xff;
  packet[3] = messageIdHash & 0xff;
  for (let n = 0; n < 4; n += 1) packet[HEADER + n] = (origin >>> (24 - 8 * n)) & 0xff;
  packet.set(body, HEADER + 4);
  return packet;
}

const numberOf = (octets: Uint8Array) => octets.reduce((n, octet) => n * 256 + octet, 0);
const inHex = (octets: Uint8Array) =>
  Array.from({ length: 8 }, (_, n) =>
    (((octets[2 * n] as number) << 8) | (octets[2 * n + 1] as number)).toString(16),
  ).join(':');

/** A session that is announced. */
export interface AnnouncedSession {
  readonly origin: string;
  readonly messageIdHash: number;
  readonly payload: string;
  readonly firstHeardAt: number;
  readonly lastHeardAt: number;
  /** The longest time between two announcements so far; null after the first. */
  readonly periodMs: number | null;
  /** How often it was announced. */
  readonly heard: number;
}

/** Clause 4: a session is gone when nothing was heard of it for ten periods, and at least for an hour. */
const LAPSE_MIN_MS = 3_600_000;
const LAPSE_PERIODS = 10;
/** So many sessions are kept, in all and of one origin: an announcer that makes up sessions must not fill the memory, nor keep others out. */
const SESSIONS_MAX = 4096;
const SESSIONS_OF_ORIGIN_MAX = 512;

/** What is announced on a network, kept from one datagram to the next. Times are given, so that it needs no clock. */
export class AnnouncedSessions {
  private readonly byKey = new Map<string, AnnouncedSession>();
  /** By announcer and o= line: the key under which the newest version is kept. */
  private readonly keyBySession = new Map<string, string>();
  private readonly ofOrigin = new Map<string, number>();

  list(): AnnouncedSession[] {
    return [...this.byKey.values()];
  }

  /**
   * Takes a message in. A new hash from the same origin for the same o= line takes the place of the old version; a deletion
   * counts only where it comes from the origin that announced.
   */
  take(message: SapMessage, atMs: number): 'new' | 'again' | 'changed' | 'gone' | 'ignored' {
    if (message.payloadType !== SDP_TYPE) return 'ignored';
    const key = announcementKey(message);
    const known = this.byKey.get(key);
    if (message.kind === 'delete') {
      if (known === undefined) return 'ignored';
      this.forget(known);
      return 'gone';
    }
    if (known !== undefined) {
      const periodMs = Math.max(known.periodMs ?? 0, atMs - known.lastHeardAt);
      this.keep({ ...known, payload: message.payload, lastHeardAt: atMs, periodMs, heard: known.heard + 1 });
      return known.payload === message.payload ? 'again' : 'changed';
    }
    const before = this.byKey.get(this.keyBySession.get(sessionOf(message) ?? '') ?? '');
    if (before !== undefined) this.forget(before);
    else this.makeRoom(message.origin);
    const { origin, messageIdHash, payload } = message;
    const firstHeardAt = before?.firstHeardAt ?? atMs;
    const heard = (before?.heard ?? 0) + 1;
    this.keep({ origin, messageIdHash, payload, firstHeardAt, lastHeardAt: atMs, periodMs: null, heard });
    return before === undefined ? 'new' : 'changed';
  }

  /** How many sessions had to go for others. */
  displaced = 0;

  /** Where there is no place for one more, the least heard goes: of its origin, or of all. Whoever announces again and again stays. */
  private makeRoom(origin: string): void {
    const own = this.ofOrigin.get(origin) ?? 0;
    if (own < SESSIONS_OF_ORIGIN_MAX && this.byKey.size < SESSIONS_MAX) return;
    let least: AnnouncedSession | null = null;
    for (const session of this.byKey.values()) {
      if (own >= SESSIONS_OF_ORIGIN_MAX && session.origin !== origin) continue;
      const isLess = least === null || session.heard < least.heard;
      if (isLess || (session.heard === least?.heard && session.lastHeardAt < least.lastHeardAt)) least = session;
      if (least?.heard === 1) break; // the longest kept comes first
    }
    if (least === null) return;
    this.forget(least);
    this.displaced += 1;
  }

  private keep(session: AnnouncedSession): void {
    const was = this.byKey.get(announcementKey(session));
    if (was !== undefined && was.payload !== session.payload) this.forget(was);
    if (!this.byKey.has(announcementKey(session))) this.count(session.origin, 1);
    this.byKey.set(announcementKey(session), session);
    const id = sessionOf(session);
    if (id !== null) this.keyBySession.set(id, announcementKey(session));
  }

  private forget(session: AnnouncedSession): void {
    if (this.byKey.delete(announcementKey(session))) this.count(session.origin, -1);
    const id = sessionOf(session);
    if (id !== null && this.keyBySession.get(id) === announcementKey(session)) this.keyBySession.delete(id);
  }

  private count(origin: string, more: number): void {
    const left = (this.ofOrigin.get(origin) ?? 0) + more;
    if (left > 0) this.ofOrigin.set(origin, left);
    else this.ofOrigin.delete(origin);
  }

  /** Forgets what was not heard of for too long, and tells which. */
  lapse(atMs: number): AnnouncedSession[] {
    const gone = this.list().filter(
      (s) => atMs - s.lastHeardAt > Math.max(LAPSE_MIN_MS, LAPSE_PERIODS * (s.periodMs ?? 0)),
    );
    for (const s of gone) this.forget(s);
    return gone;
  }
}

type Announcement = Pick<SapMessage, 'origin' | 'messageIdHash' | 'payload'>;

/**
 * What tells one session from another: who announces it, and the hash of the message. A hash of 0 says that there is none (clause 5): then its o= line
 * has to tell.
 */
export function announcementKey(announcement: Announcement): string {
  const { origin, messageIdHash } = announcement;
  return messageIdHash === 0 ? `${origin} 0 ${sessionOf(announcement)}` : `${origin} ${messageIdHash}`;
}

/**
 * The announcer, and user, session id and address of the o= line, which stay the same from version to version (RFC 8866 clause 5.2).
 * Null: there is no o= line.
 */
function sessionOf({ origin, payload }: Announcement): string | null {
  const parts = /^o=(\S+) (\S+) \S+ (\S+ \S+ \S+)/m.exec(payload);
  return parts === null ? null : `${origin} ${parts[1]} ${parts[2]} ${parts[3]}`;
}
