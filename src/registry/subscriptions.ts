import { randomUUID } from 'node:crypto';
import type { IncomingMessage } from 'node:http';
import type { Duplex } from 'node:stream';
import { WebSocketServer, type WebSocket } from 'ws';
import { taiNow } from '../core/units/tai';
import { json, problem, type Request, type Response } from './http';
import {
  QUERY,
  RESOURCE_TYPES,
  isDowngrade,
  matches,
  shownAs,
  type Registered,
  type Resource,
  type ResourceType,
  type Version,
} from './resources';

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

/** Subscriptions of the IS-04 Query API: whoever asks for one is told over WebSocket of what comes, changes and goes. */
export class Subscriptions {
  private readonly byId = new Map<string, Subscription>();
  private readonly webSockets = new WebSocketServer({ noServer: true });

  /** @param registered all resources that are registered now */
  constructor(private readonly registered: () => Iterable<Registered>) {}

  /** Ends every connection. */
  stop(): void {
    for (const s of this.byId.values()) {
      if (s.timer) clearTimeout(s.timer);
      for (const ws of s.sockets) ws.terminate();
    }
  }

  list(apiVersion: Version): Response {
    return json([...this.byId.values()].filter((s) => s.apiVersion === apiVersion).map(publicSubscription));
  }

  read(id: string, apiVersion: Version): Response {
    const found = this.of(id, apiVersion);
    return found ? json(publicSubscription(found)) : problem(404, 'Not found');
  }

  private of(id: string, apiVersion: Version): Subscription | undefined {
    const found = this.byId.get(id);
    return found?.apiVersion === apiVersion ? found : undefined;
  }

  /** A connection that asks to be one of a subscription; of none, it is closed. */
  upgrade(request: IncomingMessage, socket: Duplex, head: Buffer): void {
    const id = /\/ws\/([^/?]+)/.exec(request.url ?? '')?.[1];
    const subscription = id === undefined ? undefined : this.byId.get(id);
    if (subscription === undefined) socket.destroy();
    else this.webSockets.handleUpgrade(request, socket, head, (ws) => this.open(subscription, ws));
  }

  subscribe(request: Request, apiVersion: Version): Response {
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
      return problem(400, 'query.downgrade is not a version up to this one');
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
    this.byId.set(id, subscription);
    return json(publicSubscription(subscription), 201, { location: `${QUERY}/${apiVersion}/subscriptions/${id}` });
  }

  unsubscribe(id: string, apiVersion: Version): Response {
    const found = this.of(id, apiVersion);
    if (found === undefined) return problem(404, 'Not found');
    if (!found.persist) return problem(403, 'a subscription that is not persistent ends with its last connection');
    for (const ws of found.sockets) ws.close();
    this.byId.delete(found.id);
    return { status: 204 };
  }

  private open(subscription: Subscription, ws: WebSocket): void {
    subscription.sockets.add(ws);
    ws.on('error', () => ws.terminate());
    ws.on('close', () => {
      subscription.sockets.delete(ws);
      if (!subscription.persist && subscription.sockets.size === 0) this.byId.delete(subscription.id);
    });
    const present = [...this.registered()].flatMap((r): Change[] => {
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

  /** Tells whoever looks at a resource that it came, changed or went. */
  announce(registered: Registered, pre: Resource | undefined, post: Resource | undefined): void {
    const { type } = registered;
    for (const subscription of this.byId.values()) {
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
