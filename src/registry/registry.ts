import type { Server } from 'node:http';
import { PARENT_OF, problemsOfResource } from '../core/formats/is04-rules';
import type { Raw } from '../core/formats/raw';
import { parseTai, taiNow } from '../core/units/tai';
import { close, httpServer, json, listen, problem, route, type Response } from './http';
import { resourcePage } from './resource-page';
import {
  QUERY,
  RESOURCE_TYPES,
  VERSIONS,
  shownAs,
  type Registered,
  type Resource,
  type ResourceType,
  type Version,
} from './resources';
import { Subscriptions } from './subscriptions';

/** A registry of IS-04 v1.2 and v1.3: registration with heartbeats and expiry, query with paging, filters and subscriptions. */

const REGISTRATION = '/x-nmos/registration';

interface RegistryOptions {
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
  private readonly subscriptions = new Subscriptions(() => this.byId.values());
  private readonly server: Server;
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
        return [
          route('GET', api, () => json([...RESOURCE_TYPES.map((t) => `${t}s/`), 'subscriptions/'])),
          route('GET', `${api}/${type}`, (r) => resourcePage(r, version, this.oldestFirst)),
          route('GET', `${api}/${type}/([^/]+)`, (r) => this.read(r.params, version, r.query.get('query.downgrade'))),
          route('GET', `${api}/subscriptions`, () => this.subscriptions.list(version)),
          route('POST', `${api}/subscriptions`, (r) => this.subscriptions.subscribe(r, version)),
          route('GET', `${api}/subscriptions/([^/]+)`, (r) => this.subscriptions.read(r.params[0] as string, version)),
          route('DELETE', `${api}/subscriptions/([^/]+)`, (r) =>
            this.subscriptions.unsubscribe(r.params[0] as string, version),
          ),
        ];
      }),
    ];
    this.server = httpServer({ routes: () => routes });
    this.server.on('upgrade', (request, socket, head) => this.subscriptions.upgrade(request, socket, head));
  }

  async start(): Promise<void> {
    await listen(this.server, this.options.address, this.options.port);
    this.sweptAt = Date.now();
    this.sweeper = setInterval(() => this.expire(), SWEEP_MS);
  }

  async stop(): Promise<void> {
    if (this.sweeper) clearInterval(this.sweeper);
    this.subscriptions.stop();
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
    this.subscriptions.announce(kept, before?.resource, resource);
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

  private readonly oldestFirst = (type: ResourceType, order: 'update' | 'create'): Iterable<Registered> =>
    order === 'create' ? this.byId.values() : (this.byUpdate.get(type)?.values() ?? []);

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
    this.subscriptions.announce(found, found.resource, undefined);
  }

  private letGoOfParent({ type, resource }: Registered): void {
    const parent = PARENT_OF[type];
    if (parent !== null) this.heldBy.get(String(resource[parent[0]]))?.delete(resource.id);
  }
}
