import { createHash } from 'node:crypto';
import { errorWords } from '../core/formats/error-words';
import { createSocket, type Socket } from 'node:dgram';
import { readSdp, UNREADABLE_SDP } from '../core/formats/sdp';
import { formatAddress } from '../core/network/address';
import type { Reckoning } from '../core/reckon/reckoning';
import type { Stream } from '../core/streams/stream';
import { fieldAddress, type AddressTranslation } from './binding';
import { describe, type RtspPlace } from './rtsp';
import { SDP_TYPE, AnnouncedSessions, readSap, SAP_GROUPS, SAP_PORT, type AnnouncedSession } from '../core/formats/sap';
import { steadyNow } from './steady-clock';

/** Where announcements are listened for: an adapter of this machine. */
export interface AnnouncementPlace {
  readonly address: string;
  readonly port: number;
}

/** `192.0.2.7` or `127.0.0.1:9880`, several with commas between. What is none of that is left out. */
export function parseAnnouncementPlaces(text: string | undefined): AnnouncementPlace[] {
  return (text ?? '').split(',').flatMap((part) => {
    const match = /^\s*(\d{1,3}(?:\.\d{1,3}){3})(?::(\d{1,5}))?\s*$/.exec(part);
    return match ? [{ address: match[1] as string, port: Number(match[2] ?? SAP_PORT) }] : [];
  });
}

export interface AnnouncementState {
  readonly places: readonly (AnnouncementPlace & AnnouncementPlaceNow)[];
  readonly sessions: readonly AnnouncedSession[];
}

interface AnnouncementPlaceNow {
  /** Null while it listens, else why it cannot. */
  readonly problem: string | null;
  /** Datagrams that could not be read as announcements, or were too many. */
  readonly unread: number;
  /** Why the last one was not read. */
  readonly lastUnread: string | null;
}

interface AnnouncedStream {
  readonly sdp: string;
  /** The address it is sent from, as it is where the devices are. */
  readonly from: string;
}
/** Announced streams by group. */
export type AnnouncedStreams = ReadonlyMap<string, AnnouncedStream>;
export const NOTHING_ANNOUNCED: AnnouncedStreams = new Map();

/** The description of a stream of the plan as its sender announces it: the same group from the same address. Null: it does not. */
export function announcedSdp(
  stream: Stream,
  reckoning: Reckoning,
  translation: AddressTranslation | null,
  announced: AnnouncedStreams,
): string | null {
  if (announced.size === 0) return null;
  const groups = reckoning.groupsByStream.get(stream.id);
  for (const leg of stream.legs) {
    const group = groups?.[leg] ?? null;
    const found = group === null ? undefined : announced.get(formatAddress(group));
    const address = reckoning.plan.interfaces.get(stream.senderDeviceId)?.get(leg)?.address ?? null;
    if (found !== undefined && address !== null && found.from === fieldAddress(address, translation)) return found.sdp;
  }
  return null;
}

const LAPSE_EVERY_MS = 60_000;
/** News is passed on this often at most, however many datagrams arrive. */
const TELL_EVERY_MS = 200;
/**
 * So many datagrams are read in a second; the others are counted. SAP allows all announcers of a network together 4000 bit/s (RFC
 * 2974 clause 3.1): a site has some tens of datagrams a second.
 */
const READ_PER_SECOND = 1000;
const RETRY_MS = 10_000;
/** How often senders are asked to describe themselves, and after how many failures in a row a session is gone. */
const DESCRIBE_EVERY_MS = 10_000;
const FAILURES_UNTIL_GONE = 3;

/**
 * Listens to session announcements (SAP). On an ordinary adapter it joins the groups of RFC 2974 there; on the loopback
 * network, where there is no multicast, it takes what is sent to the address itself. An adapter that is not there yet is
 * tried again.
 */
export class AnnouncementListener {
  private readonly heard = new AnnouncedSessions();
  private readonly open = new Map<AnnouncementPlace, { socket: Socket | null; problem: string | null }>();
  private readonly unread = new Map<AnnouncementPlace, { count: number; last: string }>();
  private readonly timers = new Set<NodeJS.Timeout>();
  private byGroup: AnnouncedStreams | null = null;
  private untold: NodeJS.Timeout | null = null;
  private second = 0;
  private readInSecond = 0;
  private isStopped = true;
  private listenAt: readonly AnnouncementPlace[];

  constructor(
    private readonly fixed: readonly AnnouncementPlace[],
    private readonly onChange: () => void,
    private readonly readPerSecond = READ_PER_SECOND,
    /** Senders that describe themselves only when they are asked (RTSP). */
    private readonly described: readonly RtspPlace[] = [],
    private readonly describeEveryMs = DESCRIBE_EVERY_MS,
  ) {
    this.listenAt = fixed;
  }

  /** Whether anything is listened to or asked at all. */
  get isListening(): boolean {
    return this.listenAt.length + this.described.length > 0;
  }

  /** Listens on these adapters too, and on those no more that were named so before. Sessions that were announced there lapse by themselves. */
  listenAlsoAt(addresses: readonly string[]): void {
    const known = new Map(this.listenAt.map((place) => [place.address, place]));
    const also = addresses.filter((address) => !this.fixed.some((f) => f.address === address));
    const places = also.map((address) => known.get(address) ?? { address, port: SAP_PORT });
    const next = [...this.fixed, ...places];
    for (const place of this.listenAt) if (!next.includes(place)) this.unlisten(place);
    const added = next.filter((place) => !this.listenAt.includes(place));
    this.listenAt = next;
    if (this.isStopped) return;
    for (const place of added) this.listen(place);
    this.changed();
  }

  private unlisten(place: AnnouncementPlace): void {
    this.open.get(place)?.socket?.close();
    this.open.delete(place);
    this.unread.delete(place);
  }

  start(): void {
    this.isStopped = false;
    for (const place of this.listenAt) this.listen(place);
    for (const place of this.described) this.askInTurn(place);
    const lapse = setInterval(() => {
      if (this.heard.lapse(steadyNow()).length > 0) this.changed();
    }, LAPSE_EVERY_MS);
    lapse.unref();
    this.timers.add(lapse);
  }

  stop(): void {
    this.isStopped = true;
    for (const timer of this.timers) clearTimeout(timer);
    this.timers.clear();
    this.untold = null;
    for (const { socket } of this.open.values()) socket?.close();
    this.open.clear();
  }

  state(): AnnouncementState {
    return {
      places: [...this.listenAt, ...this.described].map((place) => ({
        address: place.address,
        port: place.port,
        problem: this.open.get(place)?.problem ?? null,
        unread: this.unread.get(place)?.count ?? 0,
        lastUnread: this.unread.get(place)?.last ?? null,
      })),
      sessions: this.heard.list(),
    };
  }

  /**
   * What is announced now, by the groups that it is sent to: the description of each as it came. The same map for as long as
   * nothing else is announced.
   */
  streams(): AnnouncedStreams {
    if (this.byGroup === null) {
      const byGroup = new Map<string, AnnouncedStream>();
      for (const { payload: sdp } of this.heard.list()) {
        const { audio } = readSdp(sdp);
        for (const leg of audio?.legs ?? []) {
          byGroup.set(leg.group, { sdp, from: leg.sourceAddress ?? audio?.origin.address ?? '' });
        }
      }
      this.byGroup = byGroup;
    }
    return this.byGroup;
  }

  private changed(): void {
    this.byGroup = null;
    this.tellSoon();
  }

  /** A flood of datagrams makes one piece of news. */
  private tellSoon(): void {
    if (this.untold !== null) return;
    const timer = setTimeout(() => {
      this.timers.delete(timer);
      this.untold = null;
      this.onChange();
    }, TELL_EVERY_MS);
    timer.unref();
    this.timers.add(timer);
    this.untold = timer;
  }

  private listen(place: AnnouncementPlace): void {
    const { address, port } = place;
    const isLoopback = address.startsWith('127.');
    const socket = createSocket({ type: 'udp4', reuseAddr: true });
    this.open.set(place, { socket, problem: null });
    const failed = (error: Error & { code?: string }) => {
      if (this.listenAt.includes(place)) this.open.set(place, { socket: null, problem: errorWords(error) });
      socket.removeAllListeners();
      socket.on('error', () => undefined);
      try {
        socket.close();
      } catch {
        // it never was open
      }
      this.changed();
      const retry = setTimeout(() => {
        this.timers.delete(retry);
        if (this.listenAt.includes(place)) this.listen(place);
      }, RETRY_MS);
      retry.unref();
      this.timers.add(retry);
    };
    socket.on('error', failed);
    socket.on('message', (packet) => this.take(place, packet));
    // What is sent to a group is not sent to the adapter's own address.
    socket.bind(port, isLoopback ? address : undefined, () => {
      try {
        if (!isLoopback) for (const group of SAP_GROUPS) socket.addMembership(group, address);
        this.changed();
      } catch (error) {
        failed(error as Error);
      }
    });
  }

  /** Asks a sender again and again; what it describes is there as if it announced it. */
  private askInTurn(place: RtspPlace): void {
    let failures = 0;
    const origin = place.address;
    // The address of the session distinguishes it from others of the same sender, as the hash of an announcement does.
    const messageIdHash = (createHash('sha1').update(place.url).digest().readUInt16BE(0) || 1) as number;
    const turn = async () => {
      try {
        const payload = await describe(place);
        if (this.isStopped) return;
        if (!isSdp(payload)) throw new Error('the answer is not SDP');
        failures = 0;
        this.open.set(place, { socket: null, problem: null });
        const message = { kind: 'announce', origin, messageIdHash, payloadType: SDP_TYPE, payload } as const;
        if (this.heard.take(message, steadyNow()) === 'again') this.tellSoon();
        else this.changed();
      } catch (error) {
        if (this.isStopped) return;
        failures += 1;
        this.open.set(place, { socket: null, problem: errorWords(error) });
        const message = { kind: 'delete', origin, messageIdHash, payloadType: SDP_TYPE, payload: '' } as const;
        if (failures >= FAILURES_UNTIL_GONE && this.heard.take(message, steadyNow()) === 'gone') this.changed();
        else this.tellSoon();
      }
      const timer = setTimeout(() => {
        this.timers.delete(timer);
        void turn();
      }, this.describeEveryMs);
      timer.unref();
      this.timers.add(timer);
    };
    void turn();
  }

  private take(place: AnnouncementPlace, packet: Uint8Array): void {
    const now = steadyNow();
    if (this.isTooMany(now)) return this.ignore(place, `more than ${this.readPerSecond} datagrams in a second`);
    const read = readSap(packet);
    if (!read.ok) return this.ignore(place, read.problem);
    // A session that cannot be read is none: it must not take the place of one that can.
    if (read.message.kind === 'announce' && !isSdp(read.message.payload)) return this.ignore(place, 'not SDP');
    const { displaced } = this.heard;
    const took = this.heard.take(read.message, now);
    if (this.heard.displaced > displaced)
      this.ignore(place, 'too many sessions: the least heard was let go for another');
    if (took === 'ignored') this.ignore(place, 'not a session that is known, or not SDP');
    else if (took === 'again') this.tellSoon();
    else this.changed();
  }

  private isTooMany(now: number): boolean {
    const second = Math.floor(now / 1000);
    if (second !== this.second) this.readInSecond = 0;
    this.second = second;
    this.readInSecond += 1;
    return this.readInSecond > this.readPerSecond;
  }

  private ignore(place: AnnouncementPlace, why: string): void {
    this.unread.set(place, { count: (this.unread.get(place)?.count ?? 0) + 1, last: why });
    this.tellSoon();
  }
}

/** Whether a text is a session at all, of whatever media. */
function isSdp(text: string): boolean {
  return /^v=0\r?\n/.test(text) && !readSdp(text).problems.some((p) => p.problem === UNREADABLE_SDP);
}
