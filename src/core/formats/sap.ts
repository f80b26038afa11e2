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

export type SapResult =
  { readonly ok: true; readonly message: SapMessage } | { readonly ok: false; readonly problem: string };

const HEADER = 4;
const SDP_TYPE = 'application/sdp';

/** Reads one datagram. Encrypted and compressed ones are said to be so. */
export function readSap(packet: Uint8Array): SapResult {
  const no = (problem: string): SapResult => ({ ok: false, problem });
  if (packet.length < HEADER + 4) return no(`${packet.length} octets are too few for a header`);
  const flags = packet[0] as number;
  if (flags >> 5 !== 1) return no(`version ${flags >> 5} is not 1`);
  if ((flags & 0x02) !== 0) return no('it is encrypted');
  if ((flags & 0x01) !== 0) return no('it is compressed');
  const originLength = (flags & 0x10) === 0 ? 4 : 16;
  const start = HEADER + originLength + (packet[1] as number) * 4;
  if (packet.length < start) return no('it ends within its header');
  const originOctets = packet.subarray(HEADER, HEADER + originLength);
  const rest = packet.subarray(start);
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
}

/** Clause 4: a session is gone when nothing was heard of it for ten periods, and at least for an hour. */
const LAPSE_MIN_MS = 3_600_000;
const LAPSE_PERIODS = 10;
/** So many sessions are kept: an announcer that makes up sessions must not fill the memory. */
const SESSIONS_MAX = 4096;

/** What is announced on a network, kept from one datagram to the next. Times are given, so that it needs no clock. */
export class AnnouncedSessions {
  private readonly byKey = new Map<string, AnnouncedSession>();

  list(): AnnouncedSession[] {
    return [...this.byKey.values()];
  }

  /**
   * Takes a message in. A new hash from the same origin for the same o= line takes the place of the old version; a deletion
   * counts only where it comes from the origin that announced.
   */
  take(message: SapMessage, atMs: number): 'new' | 'again' | 'changed' | 'gone' | 'ignored' {
    if (message.payloadType !== SDP_TYPE) return 'ignored';
    const key = `${message.origin} ${message.messageIdHash}`;
    const known = this.byKey.get(key);
    if (message.kind === 'delete') return this.byKey.delete(key) ? 'gone' : 'ignored';
    if (known !== undefined) {
      const periodMs = Math.max(known.periodMs ?? 0, atMs - known.lastHeardAt);
      this.byKey.set(key, { ...known, payload: message.payload, lastHeardAt: atMs, periodMs });
      return known.payload === message.payload ? 'again' : 'changed';
    }
    const id = sessionIdOf(message.payload);
    const before = [...this.byKey].find(
      ([, s]) => s.origin === message.origin && id !== null && sessionIdOf(s.payload) === id,
    );
    if (before !== undefined) this.byKey.delete(before[0]);
    else if (this.byKey.size >= SESSIONS_MAX) return 'ignored';
    const { origin, messageIdHash, payload } = message;
    const firstHeardAt = before?.[1].firstHeardAt ?? atMs;
    this.byKey.set(key, { origin, messageIdHash, payload, firstHeardAt, lastHeardAt: atMs, periodMs: null });
    return before === undefined ? 'new' : 'changed';
  }

  /** Forgets what was not heard of for too long, and tells which. */
  lapse(atMs: number): AnnouncedSession[] {
    const gone = this.list().filter(
      (s) => atMs - s.lastHeardAt > Math.max(LAPSE_MIN_MS, LAPSE_PERIODS * (s.periodMs ?? 0)),
    );
    for (const s of gone) this.byKey.delete(`${s.origin} ${s.messageIdHash}`);
    return gone;
  }
}

/** User, session id and address of the o= line, which stay the same from version to version (RFC 8866 clause 5.2). */
function sessionIdOf(sdp: string): string | null {
  const parts = /^o=(\S+) (\S+) \S+ (\S+ \S+ \S+)/m.exec(sdp);
  return parts === null ? null : `${parts[1]} ${parts[2]} ${parts[3]}`;
}
