import { PARENT_OF, problemsOfResource } from '../core/formats/is04-rules';
import { asVersion12 } from '../core/formats/is04-versions';
import type { Raw } from '../core/formats/raw';
import type { IncomingMessage, Server } from 'node:http';
import { randomUUID } from 'node:crypto';
import { WebSocketServer, type WebSocket } from 'ws';
import { close, httpServer, json, listen, problem, route, HttpProblem, type Request, type Response } from './http';
import { formatTai, parseTai, taiNow } from '../core/units/tai';

/** A registry of IS-04 v1.2 and v1.3: registration with heartbeats and expiry, query with paging, filters and subscriptions. */

export const RESOURCE_TYPES = ['node', 'device', 'source', 'flow', 'sender', 'receiver'] as const;
export type ResourceType = (typeof RESOURCE_TYPES)[number];
export type Resource = { readonly id: string; readonly version: string; readonly [key: string]: unknown };

interface Registered {
  readonly type: ResourceType;
  readonly apiVersion: Version;
  resource: Resource;
  readonly createdAt: bigint;
  updatedAt: bigint;
}

interface Subscription {
  readonly id: string;
  readonly apiVersion: Version;
  readonly resource_path: string;
  readonly params: Record<string, string>;
  readonly persist: boolean;
  readonly max_update_rate_ms: number;
  readonly secure: boolean;
  readonly ws_href: string;
  readonly sockets: Set<WebSocket>;
  readonly pending: Map<string, Change>;
  timer: NodeJS.Timeout | null;
}

interface Change {
  readonly path: string;
  readonly pre?: Resource;
  readonly post?: Resource;
}

/**
 * What nodes may register with and others may ask with. A query shows what came with an earlier version only where it asks for that; what came with a
 * later one it shows as its own version has it.
 */
const VERSIONS = ['v1.2', 'v1.3'] as const;
type Version = (typeof VERSIONS)[number];
const REGISTRATION = '/x-nmos/registration';
const QUERY = '/x-nmos/query';
const PAGE_DEFAULT = 100;
const PAGE_MAX = 1000;

export interface RegistryOptions {
  readonly address: string;
  readonly port: number;
  /** A node that has not been heard of for this long is forgotten: 12 s by the standard. */
  readonly expiryMs: number;
  /** Missing: all that there are. */
  readonly versions?: readonly Version[];
}

const SWEEP_MS = 500;
/** Beyond what any building has: who registers without end must not take all memory. */
const RESOURCES_MAX = 500_000;

export class Registry {
  /** In the order of creation. */
  private readonly byId = new Map<string, Registered>();
  /** By type, in the order of the last update: a page of many thousands is cut out without sorting them. */
  private readonly byUpdate = new Map<ResourceType, Map<string, Registered>>(RESOURCE_TYPES.map((t) => [t, new Map()]));
  /** What points at a resource. */
  private readonly heldBy = new Map<string, Set<string>>();
  private readonly heartbeatAt = new Map<string, number>();
  private sweptAt = 0;
  private readonly subscriptions = new Map<string, Subscription>();
  private readonly server: Server;
  private readonly webSockets = new WebSocketServer({ noServer: true });
  private sweeper: NodeJS.Timeout | null = null;

  constructor(private readonly options: RegistryOptions) {
    const type = '(nodes|devices|sources|flows|senders|receivers)';
    const versions = options.versions ?? VERSIONS;
    const routes = [
      route('GET', '/', () => json(['x-nmos/'])),
      route('GET', '/x-nmos', () => json(['query/', 'registration/'])),
      route('GET', QUERY, () => json(versions.map((v) => `${v}/`))),
      route('GET', REGISTRATION, () => json(versions.map((v) => `${v}/`))),
      ...versions.flatMap((version) => {
        const api = `${REGISTRATION}/${version}`;
        return [
          route('GET', api, () => json(['resource/', 'health/'])),
          route('POST', `${api}/resource`, (r) => this.register(r.body, version)),
          route('GET', `${api}/resource/${type}/([^/]+)`, (r) => this.read(r.params, version, version)),
          route('DELETE', `${api}/resource/${type}/([^/]+)`, (r) => this.unregister(r.params)),
          route('POST', `${api}/health/nodes/([^/]+)`, (r) => this.heartbeat(r.params[0] as string)),
          route('GET', `${api}/health/nodes/([^/]+)`, (r) => this.health(r.params[0] as string)),
        ];
      }),
      ...versions.flatMap((version) => {
        const api = `${QUERY}/${version}`;
        const subscription = (id: string | undefined) => {
          const found = this.subscriptions.get(id ?? '');
          return found?.apiVersion === version ? found : undefined;
        };
        return [
          route('GET', api, () => json([...RESOURCE_TYPES.map((t) => `${t}s/`), 'subscriptions/'])),
          route('GET', `${api}/${type}`, (r) => this.list(r, version)),
          route('GET', `${api}/${type}/([^/]+)`, (r) => this.read(r.params, version, r.query.get('query.downgrade'))),
          route('GET', `${api}/subscriptions`, () => {
            const own = [...this.subscriptions.values()].filter((s) => s.apiVersion === version);
            return json(own.map(publicSubscription));
          }),
          route('POST', `${api}/subscriptions`, (r) => this.subscribe(r, version)),
          route('GET', `${api}/subscriptions/([^/]+)`, (r) => {
            const found = subscription(r.params[0]);
            return found ? json(publicSubscription(found)) : problem(404, 'Not found');
          }),
          route('DELETE', `${api}/subscriptions/([^/]+)`, (r) => this.unsubscribe(subscription(r.params[0]))),
        ];
      }),
    ];
    this.server = httpServer({ routes: () => routes });
    this.server.on('upgrade', (request, socket, head) => {
      const id = /\/ws\/([^/?]+)/.exec(request.url ?? '')?.[1];
      const subscription = id === undefined ? undefined : this.subscriptions.get(id);
      if (subscription === undefined) return socket.destroy();
      this.webSockets.handleUpgrade(request as IncomingMessage, socket, head, (ws) => this.open(subscription, ws));
    });
  }

  async start(): Promise<void> {
    await listen(this.server, this.options.address, this.options.port);
    this.sweptAt = Date.now();
    this.sweeper = setInterval(() => this.expire(), SWEEP_MS);
  }

  async stop(): Promise<void> {
    if (this.sweeper) clearInterval(this.sweeper);
    for (const s of this.subscriptions.values()) {
      if (s.timer) clearTimeout(s.timer);
      for (const ws of s.sockets) ws.terminate();
    }
    await close(this.server);
  }

  private register(body: unknown, apiVersion: Version): Response {
    const { type, data } = (body ?? {}) as { type?: unknown; data?: unknown };
    const known = RESOURCE_TYPES.find((t) => t === type);
    if (known === undefined) return problem(400, 'type is not a resource type', String(type));
    const resource = data as Resource | null;
    if (typeof resource !== 'object' || resource === null || typeof resource.id !== 'string') {
      return problem(400, 'data.id is missing');
    }
    if (parseTai(resource.version) === null) return problem(400, 'data.version is not <seconds>:<nanoseconds>');
    const wrong = problemsOfResource(known, resource as Raw, apiVersion)[0];
    if (wrong !== undefined) return problem(400, `data${wrong}`);
    const parent = PARENT_OF[known];
    if (parent !== null) {
      const holder = this.byId.get(String(resource[parent[0]]));
      if (holder?.type !== parent[1])
        return problem(400, `data.${parent[0]} is not registered`, String(resource[parent[0]]));
    }
    const before = this.byId.get(resource.id);
    if (before === undefined && this.byId.size >= RESOURCES_MAX) return problem(503, 'the registry is full');
    if (before !== undefined && before.type !== known) return problem(409, 'data.id belongs to another type');
    if (before !== undefined && before.apiVersion !== apiVersion)
      return problem(409, `data.id is registered with ${before.apiVersion}`);
    const now = parseTai(taiNow()) ?? 0n;
    const kept = before ?? { type: known, apiVersion, resource, createdAt: now, updatedAt: now };
    this.announce(kept, before?.resource, resource);
    if (before !== undefined) this.letGoOfParent(before);
    kept.resource = resource;
    kept.updatedAt = now;
    this.byId.set(resource.id, kept);
    const inOrder = this.byUpdate.get(known) as Map<string, Registered>;
    inOrder.delete(resource.id);
    inOrder.set(resource.id, kept);
    if (parent !== null) {
      const holderId = String(resource[parent[0]]);
      const held = this.heldBy.get(holderId);
      if (held === undefined) this.heldBy.set(holderId, new Set([resource.id]));
      else held.add(resource.id);
    }
    if (known === 'node') this.heartbeatAt.set(resource.id, Date.now());
    const location = `${REGISTRATION}/${apiVersion}/resource/${known}s/${resource.id}/`;
    return json(resource, before === undefined ? 201 : 200, { location });
  }

  private read([type, id]: readonly string[], version: Version, downgrade: string | null): Response {
    const found = this.byId.get(id as string);
    const shown = found && `${found.type}s` === type ? shownAs(found, version, downgrade) : null;
    return shown === null ? problem(404, 'Not found') : json(shown);
  }

  private unregister([type, id]: readonly string[]): Response {
    const found = this.byId.get(id as string);
    if (found === undefined || `${found.type}s` !== type) return problem(404, 'Not found');
    this.forget(id as string);
    return { status: 204 };
  }

  private heartbeat(id: string): Response {
    if (this.byId.get(id)?.type !== 'node') return problem(404, 'Not found');
    const now = Date.now();
    this.heartbeatAt.set(id, now);
    return json({ health: String(Math.floor(now / 1000)) });
  }

  private health(id: string): Response {
    const at = this.heartbeatAt.get(id);
    return at === undefined ? problem(404, 'Not found') : json({ health: String(Math.floor(at / 1000)) });
  }

  private expire(): void {
    const now = Date.now();
    // Held up itself, it has heard nobody in that time: nodes are not to blame for it.
    const heldUp = Math.max(0, now - this.sweptAt - SWEEP_MS);
    this.sweptAt = now;
    if (heldUp > 0) for (const [id, at] of this.heartbeatAt) this.heartbeatAt.set(id, at + heldUp);
    const oldest = now - this.options.expiryMs;
    for (const [id, at] of [...this.heartbeatAt]) if (at < oldest) this.forget(id);
  }

  /** Takes a resource away, and first everything that points at it. */
  private forget(id: string): void {
    const found = this.byId.get(id);
    if (found === undefined) return;
    for (const childId of [...(this.heldBy.get(id) ?? [])]) this.forget(childId);
    this.heldBy.delete(id);
    this.letGoOfParent(found);
    this.byUpdate.get(found.type)?.delete(id);
    this.byId.delete(id);
    this.heartbeatAt.delete(id);
    this.announce(found, found.resource, undefined);
  }

  private letGoOfParent({ type, resource }: Registered): void {
    const parent = PARENT_OF[type];
    if (parent !== null) this.heldBy.get(String(resource[parent[0]]))?.delete(resource.id);
  }

  private list(request: Request, version: Version): Response {
    const type = (request.params[0] as string).slice(0, -1) as ResourceType;
    const { query } = request;
    if (query.has('query.rql') || query.has('query.ancestry_id')) return problem(501, 'Not implemented');
    const downgrade = query.get('query.downgrade');
    if (!isDowngrade(downgrade, version)) return problem(400, 'query.downgrade is no version up to this one');
    const filters = [...query.entries()].filter(([key]) => !key.startsWith('paging.') && !key.startsWith('query.'));
    const order = query.get('paging.order') ?? 'update';
    if (order !== 'update' && order !== 'create') return problem(400, 'paging.order is update or create');
    const limitText = query.get('paging.limit') ?? String(PAGE_DEFAULT);
    const limit = Math.min(Number(limitText), PAGE_MAX);
    if (!/^\d+$/.test(limitText) || limit < 1) return problem(400, 'paging.limit is not a positive whole number');
    const bound = (name: string) => {
      const text = query.get(name);
      const value = text === null ? null : parseTai(text);
      if (text !== null && value === null) throw new HttpProblem(400, `${name} is not <seconds>:<nanoseconds>`);
      return value;
    };
    const since = bound('paging.since');
    const until = bound('paging.until');
    if (since !== null && until !== null && since > until) return problem(400, 'paging.since is after paging.until');
    const stamp = (r: Registered) => (order === 'update' ? r.updatedAt : r.createdAt);
    const oldestFirst = order === 'update' ? this.byUpdate.get(type) : this.byId;
    const matching = [...(oldestFirst?.values() ?? [])]
      .filter((r) => {
        if (r.type !== type) return false;
        const shown = shownAs(r, version, downgrade);
        return shown !== null && matches(shown, filters);
      })
      .reverse();
    const inside = matching.filter(
      (r) => (since === null || stamp(r) > since) && (until === null || stamp(r) <= until),
    );
    // With only a lower bound the page is the oldest of those above it; otherwise it is the newest.
    const page = since !== null && until === null ? inside.slice(-limit) : inside.slice(0, limit);
    const newest = page[0];
    const oldest = page[page.length - 1];
    const upper =
      newest && page.length === limit && since !== null && until === null
        ? stamp(newest)
        : (until ?? parseTai(taiNow()) ?? 0n);
    const lower =
      page.length === limit && oldest && !(since !== null && until === null) ? stamp(oldest) - 1n : (since ?? 0n);
    const link = (rel: string, change: Record<string, string>) => {
      const params = new URLSearchParams([...query.entries()].filter(([k]) => !/^paging\.(since|until)$/.test(k)));
      params.set('paging.limit', String(limit));
      for (const [k, v] of Object.entries(change)) params.set(k, v);
      return `<${request.base}${QUERY}/${version}/${type}s?${params.toString()}>; rel="${rel}"`;
    };
    const links = [
      link('next', { 'paging.since': formatTai(upper) }),
      link('prev', { 'paging.until': formatTai(lower) }),
    ];
    return json(
      page.map((r) => shownAs(r, version, downgrade)),
      200,
      {
        link: links.join(', '),
        'x-paging-limit': String(limit),
        'x-paging-since': formatTai(lower),
        'x-paging-until': formatTai(upper),
      },
    );
  }

  private subscribe(request: Request, apiVersion: Version): Response {
    const body = (request.body ?? {}) as Record<string, unknown>;
    const path = body['resource_path'];
    const types = RESOURCE_TYPES.map((t) => `/${t}s`);
    if (typeof path !== 'string' || (path !== '' && !types.includes(path)))
      return problem(400, 'resource_path is not a resource list');
    const rate = body['max_update_rate_ms'] ?? 100;
    if (typeof rate !== 'number' || rate < 0) return problem(400, 'max_update_rate_ms is not a number');
    if (typeof (body['params'] ?? {}) !== 'object') return problem(400, 'params is not an object');
    if (body['secure'] === true) return problem(400, 'secure is not offered');
    const params = (body['params'] ?? {}) as Record<string, string>;
    if (!isDowngrade(params['query.downgrade'] ?? null, apiVersion))
      return problem(400, 'query.downgrade is no version up to this one');
    const id = randomUUID();
    const subscription: Subscription = {
      id,
      apiVersion,
      resource_path: path,
      params,
      persist: body['persist'] === true,
      max_update_rate_ms: rate,
      secure: false,
      ws_href: `${request.base.replace(/^http/, 'ws')}${QUERY}/${apiVersion}/ws/${id}`,
      sockets: new Set(),
      pending: new Map(),
      timer: null,
    };
    this.subscriptions.set(id, subscription);
    return json(publicSubscription(subscription), 201, { location: `${QUERY}/${apiVersion}/subscriptions/${id}` });
  }

  private unsubscribe(found: Subscription | undefined): Response {
    if (found === undefined) return problem(404, 'Not found');
    if (!found.persist) return problem(403, 'a subscription that is not persistent ends with its last connection');
    for (const ws of found.sockets) ws.close();
    this.subscriptions.delete(found.id);
    return { status: 204 };
  }

  private open(subscription: Subscription, ws: WebSocket): void {
    subscription.sockets.add(ws);
    ws.on('error', () => ws.terminate());
    ws.on('close', () => {
      subscription.sockets.delete(ws);
      if (!subscription.persist && subscription.sockets.size === 0) this.subscriptions.delete(subscription.id);
    });
    const present = [...this.byId.values()].flatMap((r): Change[] => {
      const shown = this.seenBy(subscription, r, r.resource);
      return shown === undefined ? [] : [{ path: pathIn(subscription, r.type, shown.id), pre: shown, post: shown }];
    });
    ws.send(JSON.stringify(grainOf(subscription, present)));
  }

  /** A resource as a subscription has it; undefined: it is none of it. */
  private seenBy(
    subscription: Subscription,
    { type, apiVersion }: Registered,
    resource: Resource | undefined,
  ): Resource | undefined {
    const { resource_path: path, params } = subscription;
    if (resource === undefined || (path !== '' && path !== `/${type}s`)) return undefined;
    const shown = shownAs({ type, apiVersion, resource }, subscription.apiVersion, params['query.downgrade'] ?? null);
    return shown !== null && matches(shown, filtersOf(subscription)) ? shown : undefined;
  }

  private announce(registered: Registered, pre: Resource | undefined, post: Resource | undefined): void {
    const { type } = registered;
    for (const subscription of this.subscriptions.values()) {
      if (subscription.sockets.size === 0) continue;
      const was = this.seenBy(subscription, registered, pre);
      const is = this.seenBy(subscription, registered, post);
      if (was === undefined && is === undefined) continue;
      const path = pathIn(subscription, type, (post ?? (pre as Resource)).id);
      const earlier = subscription.pending.get(path);
      const before = earlier ? earlier.pre : was;
      subscription.pending.set(path, { path, ...(before ? { pre: before } : {}), ...(is ? { post: is } : {}) });
      subscription.timer ??= setTimeout(() => {
        subscription.timer = null;
        const changes = [...subscription.pending.values()].filter((c) => c.pre !== undefined || c.post !== undefined);
        subscription.pending.clear();
        const text = JSON.stringify(grainOf(subscription, changes));
        for (const ws of subscription.sockets) ws.send(text);
      }, subscription.max_update_rate_ms);
    }
  }
}

/** IS-04 Query API, `query.downgrade`: an earlier version than that which is asked with, or that one. */
const isDowngrade = (downgrade: string | null, version: Version): boolean =>
  downgrade === null || (/^v1\.[0-3]$/.test(downgrade) && downgrade <= version);

/**
 * A resource as a query of this version shows it; null: it does not. What was registered with an earlier one is shown down to `downgrade`, as it is. What
 * was registered with a later one is shown as this one has it, where that can be said in it.
 */
function shownAs(
  { type, apiVersion, resource }: Pick<Registered, 'type' | 'apiVersion' | 'resource'>,
  version: Version,
  downgrade: string | null,
): Resource | null {
  if (apiVersion === version) return resource;
  if (apiVersion < version) return downgrade !== null && apiVersion >= downgrade ? resource : null;
  const earlier = asVersion12(type, resource as Raw) as Resource;
  return problemsOfResource(type, earlier as Raw, 'v1.2').length === 0 ? earlier : null;
}

const filtersOf = ({ params }: Subscription) => Object.entries(params).filter(([key]) => !key.startsWith('query.'));

const registryId = randomUUID();

function grainOf(subscription: Subscription, data: readonly Change[]) {
  const now = taiNow();
  return {
    grain_type: 'event',
    source_id: registryId,
    flow_id: subscription.id,
    origin_timestamp: now,
    sync_timestamp: now,
    creation_timestamp: now,
    rate: { numerator: 0, denominator: 1 },
    duration: { numerator: 0, denominator: 1 },
    grain: { type: 'urn:x-nmos:format:data.event', topic: `${subscription.resource_path}/`, data },
  };
}

function pathIn(subscription: Subscription, type: ResourceType, id: string): string {
  return subscription.resource_path === '' ? `${type}s/${id}` : id;
}

function publicSubscription({ id, resource_path, params, persist, max_update_rate_ms, secure, ws_href }: Subscription) {
  return { id, resource_path, params, persist, max_update_rate_ms, secure, ws_href };
}

/** Basic queries: every named attribute equals the text; dots go into objects, and a list matches by any of its items. */
function matches(resource: Resource, filters: readonly (readonly [string, string])[]): boolean {
  return filters.every(([key, wanted]) => {
    let values: unknown[] = [resource];
    for (const part of key.split('.')) {
      values = values.flatMap((v) => {
        if (typeof v !== 'object' || v === null) return [];
        const next = (v as Record<string, unknown>)[part];
        return Array.isArray(next) ? (next as unknown[]) : [next];
      });
    }
    return values.some((v) => String(v) === wanted);
  });
}
