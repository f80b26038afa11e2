import { FOLLOWED, type FollowedPath } from '../core/formats/is04';
import { errorWords } from '../core/formats/error-words';
import { offeredVersions } from '../core/formats/is04-versions';
import { rawList, rawOf, type Raw } from '../core/formats/raw';
import { failureOf, requestJson, type DeviceFailure } from './http-json';
import type { FieldSource, SourceEvents } from './sources';
import { steadyNow } from './steady-clock';

/** IS-04 versions of a Node API that are read, the newest first. */
const VERSIONS = ['v1.3', 'v1.2', 'v1.1', 'v1.0'] as const;
const NODES_EVERY_MS = 5_000;
/** So many nodes are read at the same time, and so many readings in a row that fail make a node gone: IS-04 forgets one after 12 s too. */
const AT_ONCE = 16;
const FAILURES_UNTIL_GONE = 3;
const NODE_TIMEOUT_MS = 3_000;
const RESOURCES_MAX = 20_000;
const IDS = /^[\da-f]{8}-[\da-f]{4}-[\da-f]{4}-[\da-f]{4}-[\da-f]{12}$/i;

type Resources = ReadonlyMap<FollowedPath, readonly Raw[]>;

interface KnownNode {
  /** Its last answer; null: nothing yet. */
  resources: Resources | null;
  failures: number;
}

/** How the reading of a node by its address went the last time. */
export interface NodeReading {
  /** When, in ms since 1970. */
  readonly at: number;
  /** What it calls itself; null: it was not read yet, or is gone. */
  readonly label: string | null;
  readonly nodeId: string | null;
  /** Why it could not be read; null: it could. */
  readonly failure: DeviceFailure | null;
}

/**
 * Reads nodes one by one by their Node API (IS-04), where there is no registry: each in turn, as nodes do not tell of changes by themselves. One that
 * does not answer keeps its last answer for a while, and is then gone until it answers again.
 */
export class NodesClient implements FieldSource {
  private readonly known = new Map<string, KnownNode>();
  private timer: NodeJS.Timeout | null = null;
  private reading: Promise<void> | null = null;
  private isStopped = false;
  private isAnyThere = false;

  /** @param urls where nodes are, up to the port: they may come and go */
  constructor(
    private readonly urls: () => readonly string[] | Promise<readonly string[]>,
    private readonly events: SourceEvents,
    private readonly allows: (url: string) => boolean = () => true,
    /** Called with every reading. */
    private readonly onReading: (url: string, reading: NodeReading) => void = () => undefined,
    private readonly everyMs = NODES_EVERY_MS,
  ) {}

  start(): void {
    this.isStopped = false;
    const turn = async () => {
      await this.readAll().catch(() => undefined);
      if (!this.isStopped) this.timer = setTimeout(() => void turn(), this.everyMs).unref();
    };
    void turn();
  }

  stop(): void {
    this.isStopped = true;
    if (this.timer) clearTimeout(this.timer);
  }

  readAll(): Promise<void> {
    this.reading ??= this.readOnce().finally(() => {
      this.reading = null;
    });
    return this.reading;
  }

  /** Other nodes are to be read than before: they are as soon as those are that are being read. */
  readSoon(): void {
    const begun = this.reading ?? Promise.resolve();
    void begun.catch(() => undefined).then(() => (this.isStopped ? undefined : this.readAll().catch(() => undefined)));
  }

  resources(): Promise<Record<string, readonly Raw[]>> {
    const of = (path: FollowedPath) => [...this.known.values()].flatMap((n) => n.resources?.get(path) ?? []);
    return Promise.resolve(Object.fromEntries(FOLLOWED.map((path) => [path, of(path)])));
  }

  private async readOnce(): Promise<void> {
    const urls = [...new Set(await this.urls())].filter((url) => this.allows(url));
    // Where there is nothing to read, and was nothing before, there is nothing to tell either: a registry may have much to compare it with.
    if (urls.length === 0 && this.known.size === 0) return;
    for (const url of this.known.keys()) if (!urls.includes(url)) this.known.delete(url);
    let reason = '';
    let next = 0;
    const turn = async () => {
      for (let url = urls[next++]; url !== undefined && !this.isStopped; url = urls[next++]) {
        const node = this.known.get(url) ?? { resources: null, failures: 0 };
        this.known.set(url, node);
        try {
          node.resources = await readNode(url);
          node.failures = 0;
          this.tell(url, node, null);
        } catch (error) {
          reason = errorWords(error);
          node.failures += 1;
          if (node.failures >= FAILURES_UNTIL_GONE) node.resources = null;
          this.tell(url, node, failureOf(error));
        }
      }
    };
    await Promise.all(Array.from({ length: Math.min(AT_ONCE, urls.length) }, turn));
    if (this.isStopped) return;
    const there = [...this.known].flatMap(([url, n]) =>
      n.resources === null ? [] : [{ url, resources: n.resources }],
    );
    for (const path of FOLLOWED) {
      const ids = new Set<string>();
      for (const { url, resources } of there) {
        const own = resources.get(path) ?? [];
        for (const { id } of own) ids.add(id as string);
        this.events.page(path, own, url);
      }
      this.events.full(path, ids);
    }
    const isAnyThere = there.length > 0;
    if (isAnyThere && !this.isAnyThere) this.events.connected();
    if (!isAnyThere) this.events.disconnected(urls.length === 0 ? '' : `no node answers (${reason})`);
    this.isAnyThere = isAnyThere;
  }

  private tell(url: string, { resources }: KnownNode, failure: DeviceFailure | null): void {
    const self = resources?.get('nodes')?.[0];
    const [id, label] = [self?.['id'], self?.['label']];
    this.onReading(url, {
      at: steadyNow(),
      nodeId: typeof id === 'string' ? id : null,
      label: typeof label === 'string' ? label : null,
      failure,
    });
  }
}

async function readNode(url: string): Promise<Resources> {
  const ask = async (path: string) =>
    (await requestJson(`${url}/x-nmos/node/${path}`, { timeoutMs: NODE_TIMEOUT_MS })).value;
  const versions = offeredVersions(await ask(''));
  const version = VERSIONS.find((v) => versions.includes(v));
  if (version === undefined) throw new Error('it offers no Node API of IS-04 v1.0 to v1.3');
  const self = rawOf(await ask(`${version}/self`));
  const isSound = ({ id }: Raw) => typeof id === 'string' && IDS.test(id);
  if (!isSound(self)) throw new Error('its own resource has no id');
  const resources = new Map<FollowedPath, readonly Raw[]>([['nodes', [self]]]);
  for (const path of FOLLOWED) {
    if (path === 'nodes') continue;
    const value = await ask(`${version}/${path}`);
    if (!Array.isArray(value)) throw new Error(`${path} is not a list`);
    resources.set(path, rawList(value).filter(isSound).slice(0, RESOURCES_MAX));
  }
  return resources;
}
