import type { Socket } from 'node:net';
import WebSocket from 'ws';
import { errorWords } from '../core/formats/error-words';
import { FOLLOWED, type FollowedPath } from '../core/formats/is04';
import { offeredVersions, QUERY_VERSIONS, type QueryVersion } from '../core/formats/is04-versions';
import { parseBoundedJson } from '../core/formats/bounded-json';
import { isRaw, rawList, rawOf, type Raw } from '../core/formats/raw';
import { failureOf, requestJson } from './http-json';
import { hostOf } from './reachable-hosts';
import type { FieldSource, SourceEvents } from './sources';
import { authorization, isOwnDoor, socketTrust } from './trust';
import { steadyNow } from './steady-clock';

const QUERY = '/x-nmos/query';
/** IS-04 Query API: a registry shows what was registered with earlier versions only to those who ask for it. */
const EARLIER = { 'query.downgrade': 'v1.0' };
const RECONNECT_MS = [250, 500, 1000, 2000, 5000];
/** A full read now and then, in case a change message was lost. */
const DOUBT_MS = 60_000;
/** How often each connection is pinged. One that has answered neither of two by the next time is broken. */
const PING_MS = 5_000;
const PINGS_UNANSWERED = 2;
/** A registry that has thousands of devices to tell of is busy with that before it answers anything else. */
const BEGINNING_MS = 10_000;
const FIRST_MESSAGE_WITHIN_MS = 30_000;
const MESSAGE_MAX_BYTES = 16 * 1024 * 1024;
/**
 * The first message of a subscription repeats all that is registered, which is some 30 MB for 40,000 senders. A full read takes the same in page by
 * page right after, so that a long one is let through unread.
 */
const FIRST_MESSAGE_MAX_BYTES = 64 * 1024 * 1024;
const FIRST_MESSAGE_READ_BYTES = 256 * 1024;
const MESSAGE_LIMITS = { depth: 64, values: 2_000_000 };
/** So many pages and resources of one kind are read. */
const PAGES_MAX = 1000;
const RESOURCES_MAX = 200_000;
/** So much of it is read at a time, of all kinds together: a thousand resources take about a megabyte. */
const READ_MAX_BYTES = 160 * 1024 * 1024;
/** What lists more is tried again after so long. */
const TOO_MUCH_WAIT_MS = 60_000;
class TooMuch extends Error {}

/** What may still be read. */
interface Budget {
  bytes: number;
}
const IDS = /^[\da-f]{8}-[\da-f]{4}-[\da-f]{4}-[\da-f]{4}-[\da-f]{12}$/i;

/**
 * Follows an IS-04 registry: a WebSocket subscription for each kind of resource, a full read at every (re)connection and
 * whenever something does not add up. Any registry with a Query API of v1.1 to v1.3 will do. Of several the first that answers is followed; one that is
 * lost hands over to the next.
 */
export class RegistryClient implements FieldSource {
  private sockets: WebSocket[] = [];
  private attempt = 0;
  private isStopped = false;
  /** Counts the connections: what an earlier one still waits for is none of the present one's. */
  private epoch = 0;
  private retry: NodeJS.Timeout | null = null;
  private doubt: NodeJS.Timeout | null = null;
  private ping: NodeJS.Timeout | null = null;
  /** The read that is under way, and the one that waits for its end: of what comes meanwhile, all wait for that one. */
  private reading: Promise<void> | null = null;
  private nextReading: Promise<void> | null = null;
  /** Connections on which the first message came. */
  private readonly spoken = new WeakSet<WebSocket>();
  private tellsEarlier = true;
  /** The version of its Query API that it is asked with. */
  private version: QueryVersion = QUERY_VERSIONS[0];
  /** The registry that is followed, or tried. */
  private url = '';
  private turn = 0;

  /**
   * @param registries where registries are, up to the port, the first choice first
   * @param allows whether requests may go to an address that the registry names
   */
  constructor(
    private readonly registries: string | (() => Promise<readonly string[]>),
    private readonly events: SourceEvents,
    private readonly allows: (url: string) => boolean = () => true,
    private readonly pingEveryMs = PING_MS,
  ) {
    if (typeof registries === 'string') this.url = registries;
  }

  start(): void {
    this.isStopped = false;
    void this.connect();
  }

  stop(): void {
    this.isStopped = true;
    this.drop();
  }

  /** Reads everything again: one read at a time, and at most one more waits. */
  readAll(): Promise<void> {
    if (this.reading === null) {
      const reading = this.readOnce().finally(() => {
        this.reading = null;
      });
      this.reading = reading;
      return reading;
    }
    const before = this.reading.catch(() => undefined);
    this.nextReading ??= before.then(() => {
      this.nextReading = null;
      return this.readAll();
    });
    return this.nextReading;
  }

  /** Everything of every kind, as the registry lists it. */
  async resources(): Promise<Record<string, readonly Raw[]>> {
    if (this.url === '') await this.choose();
    const lists: Record<string, readonly Raw[]> = {};
    const budget: Budget = { bytes: READ_MAX_BYTES };
    for (const path of ['nodes', 'devices', 'sources', 'flows', 'senders', 'receivers']) {
      const found = new Map<unknown, Raw>();
      await this.readPages(path, budget, (resources) => {
        for (const resource of resources) found.set(resource['id'], resource);
      });
      lists[path] = [...found.values()];
    }
    return lists;
  }

  private async readOnce(): Promise<void> {
    if (this.url === '') await this.choose();
    const budget: Budget = { bytes: READ_MAX_BYTES };
    // Page by page, so that nobody else waits for the whole, nor is the whole held twice.
    for (const path of FOLLOWED) {
      const ids = new Set<string>();
      await this.readPages(path, budget, (resources) => {
        for (const { id } of resources) ids.add(id as string);
        this.events.page(path, resources, this.url);
      });
      this.events.full(path, ids);
    }
  }

  private drop(): void {
    this.epoch += 1;
    if (this.retry) clearTimeout(this.retry);
    if (this.doubt) clearInterval(this.doubt);
    if (this.ping) clearInterval(this.ping);
    for (const socket of this.sockets) {
      socket.removeAllListeners();
      socket.on('error', () => undefined);
      socket.terminate();
    }
    this.sockets = [];
  }

  private async connect(): Promise<void> {
    const { epoch } = this;
    const isOver = () => this.isStopped || this.epoch !== epoch;
    try {
      await this.choose();
      for (const path of FOLLOWED) {
        await this.follow(path, isOver);
        if (isOver()) return;
      }
      this.pingAll(this.sockets);
      await this.readAll();
      // A connection that closed meanwhile was reported as lost, and is tried again.
      if (isOver()) return;
      this.attempt = 0;
      this.events.connected();
      this.doubt = setInterval(() => this.readOrLose(), DOUBT_MS);
    } catch (error) {
      if (!isOver()) this.lostBy(error);
    }
  }

  /** The registry itself, wherever it was found, or who is talked to anyway. */
  private mayAsk(url: string): boolean {
    return hostOf(url) === hostOf(this.url) || this.allows(url);
  }

  /** Takes the registry whose turn it is. */
  private async choose(): Promise<void> {
    if (typeof this.registries === 'string') {
      this.url = this.registries;
      this.version = await this.versionAt(this.url);
      return;
    }
    const found = await this.registries();
    const url = found[this.turn % Math.max(1, found.length)];
    if (url === undefined) throw new Error('no registry is announced');
    if (url !== this.url) this.tellsEarlier = true;
    this.url = url;
    this.version = await this.versionAt(url);
  }

  /** The newest version of the Query API that both know. One that does not tell which it has is asked with the newest. */
  private async versionAt(url: string): Promise<QueryVersion> {
    const { value } = await requestJson(`${url}${QUERY}/`, { timeoutMs: BEGINNING_MS }).catch((error: unknown) => {
      if (failureOf(error).kind === 'refused') return { value: [] };
      throw error;
    });
    const offered = offeredVersions(value);
    const known = QUERY_VERSIONS.find((v) => offered.includes(v));
    if (known === undefined && offered.length > 0) {
      throw new Error(`the registry has the Query API ${offered.join(', ')} only`);
    }
    return known ?? QUERY_VERSIONS[0];
  }

  /** A registry whose process hangs keeps its connections: only an answer says that it is there. */
  private pingAll(sockets: readonly WebSocket[]): void {
    const unanswered = new Map<WebSocket, number>();
    const since = steadyNow();
    for (const socket of sockets) socket.on('pong', () => unanswered.delete(socket));
    this.ping = setInterval(() => {
      const isBeginning = sockets.some((s) => !this.spoken.has(s)) && steadyNow() - since < FIRST_MESSAGE_WITHIN_MS;
      if (!isBeginning && [...unanswered.values()].some((n) => n >= PINGS_UNANSWERED)) {
        return this.lost(`the registry has answered no ping for ${(PINGS_UNANSWERED * this.pingEveryMs) / 1000} s`);
      }
      for (const socket of sockets) {
        unanswered.set(socket, (unanswered.get(socket) ?? 0) + 1);
        socket.ping();
      }
    }, this.pingEveryMs);
  }

  private lostBy(error: unknown, reason = errorWords(error)): void {
    if (error instanceof TooMuch) this.lost(error.message, TOO_MUCH_WAIT_MS);
    else this.lost(reason);
  }

  private lost(reason: string, leastWaitMs = 0): void {
    if (this.isStopped) return;
    this.drop();
    this.events.disconnected(reason);
    this.turn += 1;
    const wait = RECONNECT_MS[Math.min(this.attempt, RECONNECT_MS.length - 1)] as number;
    this.attempt += 1;
    this.retry = setTimeout(() => void this.connect(), Math.max(wait, leastWaitMs));
  }

  /** Asks for what was registered with earlier versions of IS-04 too; a registry that cannot tell of it is asked without. */
  private async withEarlier<T>(ask: (params: Readonly<Record<string, string>>) => Promise<T>): Promise<T> {
    if (!this.tellsEarlier) return ask({});
    try {
      return await ask(EARLIER);
    } catch (error) {
      const failure = failureOf(error);
      if (failure.kind !== 'refused' || (failure.status !== 400 && failure.status !== 501)) throw error;
      const answer = await ask({});
      this.tellsEarlier = false;
      return answer;
    }
  }

  private async follow(path: FollowedPath, isOver: () => boolean): Promise<void> {
    const secure = /^https:/i.test(this.url);
    const { value } = await this.withEarlier((params) => {
      const body = { resource_path: `/${path}`, params, persist: false, secure, max_update_rate_ms: 100 };
      return requestJson(`${this.url}${QUERY}/${this.version}/subscriptions`, {
        method: 'POST',
        body,
        timeoutMs: BEGINNING_MS,
      });
    });
    if (isOver()) return;
    const href = rawOf(value)['ws_href'];
    if (typeof href !== 'string') throw new Error('the registry gave no ws_href');
    if (!/^wss?:\/\//i.test(href) || !URL.canParse(href) || isOwnDoor(href) || !this.mayAsk(href)) {
      throw new Error('the registry gave a ws_href on a host outside the networks that are used');
    }
    const socket = new WebSocket(href, {
      handshakeTimeout: BEGINNING_MS,
      maxPayload: FIRST_MESSAGE_MAX_BYTES,
      followRedirects: false,
      // What comes compressed unpacks to a thousand times as much.
      perMessageDeflate: false,
      ...socketTrust(),
      headers: { ...(await authorization(href)) },
    });
    this.sockets.push(socket);
    let isFirst = true;
    socket.on('message', (data) => {
      const bytes = data as Buffer;
      const isRepetition = isFirst && bytes.byteLength > FIRST_MESSAGE_READ_BYTES;
      isFirst = false;
      this.spoken.add(socket);
      if (isRepetition) return;
      this.message(path, bytes.toString('utf8'));
    });
    // A message is bounded while it comes, and not once it is there.
    socket.once('upgrade', ({ socket: line }) => {
      // Not before it is open: what came with the handshake goes to whoever reads the line then, and would be missing at the WebSocket.
      socket.once('open', () =>
        boundMessages(
          socket,
          line,
          () => (isFirst ? FIRST_MESSAGE_MAX_BYTES : MESSAGE_MAX_BYTES),
          () => this.lost('the registry sent a message that is too long'),
        ),
      );
    });
    await new Promise<void>((resolve, reject) => {
      socket.once('open', resolve);
      socket.once('error', reject);
      socket.once('close', () => reject(new Error('the registry closed the connection')));
    });
    socket.on('error', () => this.lost('the connection to the registry broke'));
    socket.on('close', () => this.lost('the registry closed the connection'));
  }

  /** A message that makes no sense may have been about a change: everything is read again. */
  private message(path: FollowedPath, text: string): void {
    const parsed = parseBoundedJson(text, MESSAGE_LIMITS);
    const changes = parsed.ok ? rawOf(rawOf(parsed.value)['grain'])['data'] : null;
    if (!Array.isArray(changes)) return this.readOrLose();
    let isAllClear = true;
    for (const change of changes as unknown[]) {
      const { path: at, post } = rawOf(change);
      const id = typeof at === 'string' ? (at.split('/').pop() ?? '') : '';
      const isSound = IDS.test(id) && (post == null || isRaw(post));
      if (isSound) this.events.changed(path, id, isRaw(post) ? post : null, this.url);
      else isAllClear = false;
    }
    if (!isAllClear) this.readOrLose();
  }

  private readOrLose(): void {
    this.readAll().catch((error: unknown) => this.lostBy(error, 'the registry does not answer'));
  }

  /** Reads all there is of one kind. Resources without a sound id are left out. Throws where that is more than is read. */
  private async readPages(path: string, budget: Budget, take: (resources: readonly Raw[]) => void): Promise<void> {
    let count = 0;
    const first = `${this.url}${QUERY}/${this.version}/${path}?paging.order=create&paging.since=0:0&paging.limit=1000`;
    let url: string | null = first;
    for (let page = 0; url !== null && page < PAGES_MAX && count < RESOURCES_MAX; page += 1) {
      const at: string = url;
      const read = (from: string) => requestJson(from, { timeoutMs: 10_000 });
      const { value, headers, bytes }: Awaited<ReturnType<typeof requestJson>> =
        at === first ? await this.withEarlier((params) => read(`${at}${asQuery(params)}`)) : await read(at);
      if (!Array.isArray(value)) throw new Error(`${path} is not a list`);
      budget.bytes -= bytes;
      if (budget.bytes < 0) throw new TooMuch('the registry lists more than is read');
      const resources = rawList(value).filter(({ id }) => typeof id === 'string' && IDS.test(id));
      count += resources.length;
      take(resources);
      const link: string | undefined = /<([^>]+)>;\s*rel="next"/.exec(headers('link') ?? '')?.[1];
      const next: string | null = link === undefined || !URL.canParse(link, url) ? null : new URL(link, url).href;
      // A registry without paging gives everything at once and no link.
      url = value.length === 0 || next === null || next === url || !this.mayAsk(next) ? null : next;
    }
  }
}

/** Ends a connection on which more comes without a message being complete than `most` allows now. */
function boundMessages(socket: WebSocket, line: Socket, most: () => number, end: () => void): void {
  let before = line.bytesRead;
  socket.on('message', () => (before = line.bytesRead));
  line.on('data', () => {
    if (line.bytesRead - before <= most()) return;
    line.pause();
    end();
  });
}

const asQuery = (params: Readonly<Record<string, string>>): string =>
  Object.entries(params)
    .map(([name, value]) => `&${name}=${value}`)
    .join('');
