import { PARENT_OF, problemsOfResource } from '../core/formats/is04-rules';
import type { Raw } from '../core/formats/raw';
import type { IncomingMessage, Server } from 'node:http';
import { randomUUID } from 'node:crypto';
import { WebSocketServer, type WebSocket } from 'ws';
import { close, httpServer, json, listen, problem, route, HttpProblem, type Request, type Response } from './http';
import { formatTai, parseTai, taiNow } from '../core/units/tai';

/** An IS-04 v1.3 registry: registration with heartbeats and expiry, query with paging, filters and subscriptions. */

export const RESOURCE_TYPES = ['node', 'device', 'source', 'flow', 'sender', 'receiver'] as const;
export type ResourceType = (typeof RESOURCE_TYPES)[number];
export type Resource = { readonly id: string; readonly version: string; readonly [key: string]: unknown };

interface Registered {
  readonly type: ResourceType;
  readonly apiVersion: RegistrationVersion;
  resource: Resource;
  readonly createdAt: bigint;
  updatedAt: bigint;
}

interface Subscription {
  readonly id: string;
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

/** What nodes may register with. A query of v1.3 shows what came with an earlier one only where it asks for that. */
const REGISTRATION_VERSIONS = ['v1.2', 'v1.3'] as const;
type RegistrationVersion = (typeof REGISTRATION_VERSIONS)[number];
const REGISTRATION = '/x-nmos/registration';
const QUERY = '/x-nmos/query/v1.3';
const PAGE_DEFAULT = 100;
const PAGE_MAX = 1000;

export interface RegistryOptions {
  readonly address: string;
  readonly port: number;
  /** A node that has not been heard of for this long is forgotten: 12 s by the standard. */
  readonly expiryMs: number;
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
    const routes = [
      route('GET', '/', () => json(['x-nmos/'])),
      route('GET', '/x-nmos', () => json(['query/', 'registration/'])),
      route('GET', '/x-nmos/query', () => json(['v1.3/'])),
      route('GET', REGISTRATION, () => json(REGISTRATION_VERSIONS.map((v) => `${v}/`))),
      ...REGISTRATION_VERSIONS.flatMap((version) => {
        const api = `${REGISTRATION}/${version}`;
        return [
          route('GET', api, () => json(['resource/', 'health/'])),
          route('POST', `${api}/resource`, (r) => this.register(r.body, version)),
          route('GET', `${api}/resource/${type}/([^/]+)`, (r) => this.read(r.params)),
          route('DELETE', `${api}/resource/${type}/([^/]+)`, (r) => this.unregister(r.params)),
          route('POST', `${api}/health/nodes/([^/]+)`, (r) => this.heartbeat(r.params[0] as string)),
          route('GET', `${api}/health/nodes/([^/]+)`, (r) => this.health(r.params[0] as string)),
        ];
      }),
      route('GET', QUERY, () => json([...RESOURCE_TYPES.map((t) => `${t}s/`), 'subscriptions/'])),
      route('GET', `${QUERY}/${type}`, (r) => this.list(r)),
      route('GET', `${QUERY}/${type}/([^/]+)`, (r) => this.read(r.params)),
      route('GET', `${QUERY}/subscriptions`, () => json([...this.subscriptions.values()].map(publicSubscription))),
      route('POST', `${QUERY}/subscriptions`, (r) => this.subscribe(r)),
      route('GET', `${QUERY}/subscriptions/([^/]+)`, (r) => {
        const found = this.subscriptions.get(r.params[0] as string);
        return found ? json(publicSubscription(found)) : problem(404, 'Not found');
      }),
      route('DELETE', `${QUERY}/subscriptions/([^/]+)`, (r) => this.unsubscribe(r.params[0] as string)),
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

  private register(body: unknown, apiVersion: RegistrationVersion): Response {
    const { type, data } = (body ?? {}) as { type?: unknown; data?: unknown };
    const known = RESOURCE_TYPES.find((t) => t === type);
    if (known === undefined) return problem(400, 'type is not a resource type', String(type));
    const resource = data as Resource | null;
    if (typeof resource !== 'object' || resource === null || typeof resource.id !== 'string') {
      return problem(400, 'data.id is missing');
    }
    if (parseTai(resource.version) === null) return problem(400, 'data.version is not <seconds>:<nanoseconds>');
    // Earlier versions want less.
    const wrong = apiVersion === 'v1.3' ? problemsOfResource(known, resource as Raw)[0] : undefined;
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

  private read([type, id]: readonly string[]): Response {
    const found = this.byId.get(id as string);
    return found && `${found.type}s` === type ? json(found.resource) : problem(404, 'Not found');
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

  private list(request: Request): Response {
    const type = (request.params[0] as string).slice(0, -1) as ResourceType;
    const { query } = request;
    if (query.has('query.rql') || query.has('query.ancestry_id')) return problem(501, 'Not implemented');
    const downgrade = query.get('query.downgrade');
    if (downgrade !== null && !/^v1\.[0-3]$/.test(downgrade)) return problem(400, 'query.downgrade is not a version');
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
      .filter((r) => r.type === type && isShown(r, query.get('query.downgrade')) && matches(r.resource, filters))
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
      return `<${request.base}${QUERY}/${type}s?${params.toString()}>; rel="${rel}"`;
    };
    const links = [
      link('next', { 'paging.since': formatTai(upper) }),
      link('prev', { 'paging.until': formatTai(lower) }),
    ];
    return json(
      page.map((r) => r.resource),
      200,
      {
        link: links.join(', '),
        'x-paging-limit': String(limit),
        'x-paging-since': formatTai(lower),
        'x-paging-until': formatTai(upper),
      },
    );
  }

  private subscribe(request: Request): Response {
    const body = (request.body ?? {}) as Record<string, unknown>;
    const path = body['resource_path'];
    const types = RESOURCE_TYPES.map((t) => `/${t}s`);
    if (typeof path !== 'string' || (path !== '' && !types.includes(path)))
      return problem(400, 'resource_path is not a resource list');
    const rate = body['max_update_rate_ms'] ?? 100;
    if (typeof rate !== 'number' || rate < 0) return problem(400, 'max_update_rate_ms is not a number');
    if (typeof (body['params'] ?? {}) !== 'object') return problem(400, 'params is not an object');
    if (body['secure'] === true) return problem(400, 'secure is not offered');
    const id = randomUUID();
    const subscription: Subscription = {
      id,
      resource_path: path,
      params: (body['params'] ?? {}) as Record<string, string>,
      persist: body['persist'] === true,
      max_update_rate_ms: rate,
      secure: false,
      ws_href: `${request.base.replace(/^http/, 'ws')}${QUERY}/ws/${id}`,
      sockets: new Set(),
      pending: new Map(),
      timer: null,
    };
    this.subscriptions.set(id, subscription);
    return json(publicSubscription(subscription), 201, { location: `${QUERY}/subscriptions/${id}` });
  }

  private unsubscribe(id: string): Response {
    const found = this.subscriptions.get(id);
    if (found === undefined) return problem(404, 'Not found');
    if (!found.persist) return problem(403, 'a subscription that is not persistent ends with its last connection');
    for (const ws of found.sockets) ws.close();
    this.subscriptions.delete(id);
    return { status: 204 };
  }

  private open(subscription: Subscription, ws: WebSocket): void {
    subscription.sockets.add(ws);
    ws.on('error', () => ws.terminate());
    ws.on('close', () => {
      subscription.sockets.delete(ws);
      if (!subscription.persist && subscription.sockets.size === 0) this.subscriptions.delete(subscription.id);
    });
    const present = [...this.byId.values()]
      .filter((r) => this.isOf(subscription, r) && matches(r.resource, filtersOf(subscription)))
      .map((r): Change => ({ path: pathIn(subscription, r.type, r.resource.id), pre: r.resource, post: r.resource }));
    ws.send(JSON.stringify(grainOf(subscription, present)));
  }

  private isOf(subscription: Subscription, registered: Registered): boolean {
    const { resource_path: path, params } = subscription;
    return (path === '' || path === `/${registered.type}s`) && isShown(registered, params['query.downgrade'] ?? null);
  }

  private announce(registered: Registered, pre: Resource | undefined, post: Resource | undefined): void {
    const { type } = registered;
    for (const subscription of this.subscriptions.values()) {
      if (!this.isOf(subscription, registered) || subscription.sockets.size === 0) continue;
      const filters = filtersOf(subscription);
      const was = pre && matches(pre, filters) ? pre : undefined;
      const is = post && matches(post, filters) ? post : undefined;
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

/** IS-04 Query API, `query.downgrade`: down to which version of registration resources are shown; without it only those of its own. */
const isShown = ({ apiVersion }: Registered, downgrade: string | null): boolean =>
  apiVersion === 'v1.3' || (downgrade !== null && apiVersion >= downgrade);

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
