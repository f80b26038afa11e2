import WebSocket from 'ws';
import { requestJson } from './http-json';
import { FOLLOWED, type FollowedPath } from '../core/formats/is04';

type Raw = Record<string, unknown>;

export interface RegistryEvents {
  /** Everything the registry holds of one kind, read in full: what is not in it is gone. */
  full(path: FollowedPath, resources: readonly Raw[]): void;
  changed(path: FollowedPath, id: string, post: Raw | null): void;
  connected(): void;
  disconnected(reason: string): void;
}

const QUERY = '/x-nmos/query/v1.3';
const RECONNECT_MS = [250, 500, 1000, 2000, 5000];
/** A full read now and then, in case a change message was lost. */
const DOUBT_MS = 60_000;

/**
 * Follows an IS-04 registry: a WebSocket subscription for each kind of resource, a full read at every (re)connection and
 * whenever something does not add up. Any registry with the v1.3 Query API will do.
 */
export class RegistryClient {
  private sockets: WebSocket[] = [];
  private attempt = 0;
  private isStopped = false;
  private retry: NodeJS.Timeout | null = null;
  private doubt: NodeJS.Timeout | null = null;

  constructor(
    private readonly url: string,
    private readonly events: RegistryEvents,
  ) {}

  start(): void {
    this.isStopped = false;
    void this.connect();
  }

  stop(): void {
    this.isStopped = true;
    this.drop();
  }

  /** Reads everything anew. */
  async readAll(): Promise<void> {
    for (const path of FOLLOWED) this.events.full(path, await this.readList(path));
  }

  /** Everything of every kind, as the registry tells it. */
  async resources(): Promise<Record<string, readonly Raw[]>> {
    const lists: Record<string, readonly Raw[]> = {};
    for (const path of ['nodes', 'devices', 'sources', 'flows', 'senders', 'receivers']) {
      lists[path] = await this.readList(path);
    }
    return lists;
  }

  private drop(): void {
    if (this.retry) clearTimeout(this.retry);
    if (this.doubt) clearInterval(this.doubt);
    for (const socket of this.sockets) {
      socket.removeAllListeners();
      socket.on('error', () => undefined);
      socket.terminate();
    }
    this.sockets = [];
  }

  private async connect(): Promise<void> {
    try {
      for (const path of FOLLOWED) await this.follow(path);
      if (this.isStopped) return;
      await this.readAll();
      this.attempt = 0;
      this.events.connected();
      this.doubt = setInterval(() => this.readAll().catch(() => this.lost('the registry does not answer')), DOUBT_MS);
    } catch (error) {
      this.lost(error instanceof Error ? error.message : String(error));
    }
  }

  private lost(reason: string): void {
    if (this.isStopped) return;
    this.drop();
    this.events.disconnected(reason);
    const wait = RECONNECT_MS[Math.min(this.attempt, RECONNECT_MS.length - 1)] as number;
    this.attempt += 1;
    this.retry = setTimeout(() => void this.connect(), wait);
  }

  private async follow(path: FollowedPath): Promise<void> {
    const body = { resource_path: `/${path}`, params: {}, persist: false, secure: false, max_update_rate_ms: 100 };
    const { value } = await requestJson(`${this.url}${QUERY}/subscriptions`, { method: 'POST', body });
    const href = (value as { ws_href?: unknown } | null)?.ws_href;
    if (typeof href !== 'string') throw new Error('the registry gave no ws_href');
    const socket = new WebSocket(href, { handshakeTimeout: 3000, maxPayload: 64 * 1024 * 1024 });
    this.sockets.push(socket);
    await new Promise<void>((resolve, reject) => {
      socket.once('open', resolve);
      socket.once('error', reject);
    });
    socket.on('error', () => this.lost('the connection to the registry broke'));
    socket.on('close', () => this.lost('the registry closed the connection'));
    socket.on('message', (data) => this.message(path, (data as Buffer).toString('utf8')));
  }

  private message(path: FollowedPath, textMessage: string): void {
    let changes: unknown;
    try {
      changes = (JSON.parse(textMessage) as { grain?: { data?: unknown } }).grain?.data;
    } catch {
      changes = null;
    }
    if (!Array.isArray(changes)) {
      void this.readAll().catch(() => this.lost('the registry does not answer'));
      return;
    }
    for (const change of changes as { path?: unknown; post?: Raw }[]) {
      const id =
        String(change.path ?? '')
          .split('/')
          .pop() ?? '';
      if (id !== '') this.events.changed(path, id, change.post ?? null);
    }
  }

  private async readList(path: string): Promise<Raw[]> {
    const found = new Map<string, Raw>();
    let url: string | null = `${this.url}${QUERY}/${path}?paging.order=create&paging.since=0:0&paging.limit=1000`;
    for (let page = 0; url !== null && page < 1000; page += 1) {
      const { value, headers }: { value: unknown; headers: Headers } = await requestJson(url, { timeoutMs: 10_000 });
      if (!Array.isArray(value)) throw new Error(`${path} is not a list`);
      for (const raw of value as Raw[]) if (typeof raw?.['id'] === 'string') found.set(raw['id'], raw);
      const next = /<([^>]+)>;\s*rel="next"/.exec(headers.get('link') ?? '')?.[1] ?? null;
      // A registry without paging gives everything at once and no link.
      url = (value as Raw[]).length === 0 || next === url ? null : next;
    }
    return [...found.values()];
  }
}
