import {
  readChannelMap,
  readEnd as readConnection,
  type ChannelMap,
  type EndKind,
  type EndReading,
} from './device-reader';
import { failureOf, type DeviceFailure } from './http-json';
import { RegistryClient } from './registry-client';
import type { FollowedPath } from '../core/formats/is04';
import { Pulse } from './pulse';
import { FieldResources, type FieldNode } from './field-resources';

export interface FieldSnapshot {
  readonly registryUrl: string;
  /** Whether it was heard at all yet: before that nothing can be said of any device. */
  readonly wasHeard: boolean;
  readonly isConnected: boolean;
  readonly disconnectedBecause: string | null;
  readonly nodes: ReadonlyMap<string, FieldNode>;
  readonly sourceOfSender: (senderId: string) => string | null;
  readonly readings: ReadonlyMap<string, EndReading>;
  readonly channelMaps: ReadonlyMap<string, ChannelMap>;
  /** How long it takes at most until a device that stops answering is noticed, in ms. */
  readonly noticedWithinMs: number;
  /** By IS-04 device id: why the last reading of it failed. */
  readonly failures: ReadonlyMap<string, DeviceFailure>;
}

/** What changed in the field since it was last told. */
export interface FieldNews {
  /** Nodes that came, went, or of which anything else is known than before. */
  readonly nodes: ReadonlySet<string>;
}

/** Requests at once to one device, so that a slow one neither drowns nor holds up the others. */
const REQUESTS_PER_DEVICE = 4;
/** Requests at once to all devices together, so that reading hundreds of them leaves room for everything else. */
const REQUESTS_IN_ALL = 16;
const REREAD_AFTER_FAILURE_MS = 3000;

/**
 * Keeps a picture of the field: which nodes are there, what their senders and receivers do, how their channels are mapped.
 * Knows open interfaces only. `onNews` is told what changed, at most once per turn of the event loop.
 */
export class FieldFollower {
  private readonly registered = new FieldResources();
  private readonly readings = new Map<string, EndReading>();
  private readonly channelMaps = new Map<string, ChannelMap>();
  private readonly failures = new Map<string, DeviceFailure>();
  private readonly client: RegistryClient;
  private readonly work = new Map<string, { waiting: Map<string, () => Promise<void>>; running: number }>();
  private runningInAll = 0;
  private readonly retries = new Map<string, NodeJS.Timeout>();
  private readonly pulse = new Pulse((nodeId, isSilent) => this.felt(nodeId, isSilent));
  private isPulseOutdated = false;
  private wasHeard = false;
  private isConnected = false;
  private disconnectedBecause: string | null = 'not connected yet';
  /** The nodes of which news has still to be told; null: none is on its way. */
  private untold: Set<string> | null = null;

  constructor(
    readonly registryUrl: string,
    private readonly onNews: (news: FieldNews) => void,
  ) {
    this.client = new RegistryClient(registryUrl, {
      full: (path, resources) => this.full(path, resources),
      changed: (path, id, post) => this.changed(path, id, post),
      connected: () => {
        this.isConnected = true;
        this.wasHeard = true;
        this.disconnectedBecause = null;
        this.announce();
        this.nextOfAll();
      },
      disconnected: (reason) => {
        this.isConnected = false;
        this.disconnectedBecause = reason;
        this.announce();
      },
    });
  }

  start(): void {
    this.client.start();
    this.pulse.start();
  }

  stop(): void {
    this.client.stop();
    this.pulse.stop();
    for (const timer of this.retries.values()) clearTimeout(timer);
  }

  /** Reads the registry and every device anew. Resolves when the registry was read; devices follow. */
  async readAnew(): Promise<void> {
    await this.client.readAll();
    for (const deviceId of this.registered.deviceIds()) this.readDeviceAnew(deviceId);
  }

  /** Everything the registry holds now, by kind. */
  resources(): Promise<Record<string, readonly Record<string, unknown>[]>> {
    return this.client.resources();
  }

  readDeviceAnew(deviceId: string): void {
    this.queueEnds(deviceId);
    this.queueMap(deviceId);
  }

  snapshot(): FieldSnapshot {
    return {
      registryUrl: this.registryUrl,
      wasHeard: this.wasHeard,
      isConnected: this.isConnected,
      disconnectedBecause: this.disconnectedBecause,
      nodes: this.registered.nodes(),
      sourceOfSender: (senderId) => this.registered.sourceOfSender(senderId),
      readings: this.readings,
      channelMaps: this.channelMaps,
      failures: this.failures,
      noticedWithinMs: this.pulse.noticedWithinMs,
    };
  }

  /** Takes in what a device answered to a request of ours, without asking it again. */
  noteReading(kind: EndKind, endId: string, reading: EndReading): void {
    this.readings.set(endId, reading);
    this.announceDevice(this.registered.end(kind, endId)?.deviceId);
  }

  private full(path: FollowedPath, resources: readonly Record<string, unknown>[]): void {
    const present = new Set(resources.map((r) => String(r['id'])));
    for (const id of this.registered.ids(path)) if (!present.has(id)) this.changed(path, id, null);
    for (const resource of resources) this.changed(path, String(resource['id']), resource);
    this.announce();
  }

  private changed(path: FollowedPath, id: string, post: Record<string, unknown> | null): void {
    const kept = this.registered;
    if (post === null) {
      this.announce(kept.remove(path, id));
      if (path === 'nodes') this.pulse.forget(id);
      if (path === 'nodes' || path === 'devices') this.outdatePulse();
      if (path === 'senders' || path === 'receivers') this.readings.delete(id);
      if (path === 'devices') {
        this.channelMaps.delete(id);
        this.failures.delete(id);
      }
      return;
    }
    if (path === 'devices') {
      const before = kept.device(id);
      this.announce(kept.put(path, id, post));
      if (before?.connectionHref !== kept.device(id)?.connectionHref) this.outdatePulse();
      if (before?.version !== kept.device(id)?.version || !this.channelMaps.has(id)) this.queueMap(id);
      // Ends that were heard of before their device could not be asked yet.
      if (before === undefined) this.queueEnds(id);
    } else if (path === 'senders' || path === 'receivers') {
      const before = kept.end(path, id);
      this.announce(kept.put(path, id, post));
      if (before?.version !== kept.end(path, id)?.version || !this.readings.has(id)) this.queueEnd(path, id);
    } else {
      if (path === 'nodes' && !kept.hasNode(id)) this.outdatePulse();
      this.announce(kept.put(path, id, post));
    }
  }

  /** A node stopped answering, or answers again: then it is read anew, as it may have been switched off meanwhile. */
  private felt(nodeId: string, isSilent: boolean): void {
    this.registered.setSilent(nodeId, isSilent);
    if (!isSilent) for (const deviceId of this.registered.devicesOf(nodeId)) this.readDeviceAnew(deviceId);
    this.announce([nodeId]);
  }

  /** Who is tried follows from who is registered; many that come at once are gone through once. */
  private outdatePulse(): void {
    if (this.isPulseOutdated) return;
    this.isPulseOutdated = true;
    setImmediate(() => {
      this.isPulseOutdated = false;
      this.pulse.follow(this.registered.places());
    });
  }

  private queueEnds(deviceId: string): void {
    for (const kind of ['senders', 'receivers'] as const) {
      for (const endId of this.registered.endIds(kind, deviceId)) this.queueEnd(kind, endId);
    }
  }

  private queueEnd(kind: EndKind, id: string): void {
    const end = this.registered.end(kind, id);
    const href = end && this.registered.device(end.deviceId)?.connectionHref;
    if (!end || !href) return;
    this.queue(end.deviceId, id, async () => {
      const reading = await readConnection(href, kind, id);
      if (this.registered.end(kind, id) !== undefined) this.readings.set(id, reading);
    });
  }

  private queueMap(deviceId: string): void {
    const href = this.registered.device(deviceId)?.channelMapHref;
    if (!href) return;
    this.queue(deviceId, 'map', async () => {
      const map = await readChannelMap(href);
      if (this.registered.device(deviceId) !== undefined) this.channelMaps.set(deviceId, map);
    });
  }

  private queue(deviceId: string, key: string, task: () => Promise<void>): void {
    let queue = this.work.get(deviceId);
    if (queue === undefined) this.work.set(deviceId, (queue = { waiting: new Map(), running: 0 }));
    queue.waiting.set(key, task);
    this.next(deviceId);
  }

  private next(deviceId: string): void {
    const queue = this.work.get(deviceId);
    if (queue === undefined) return;
    // Who is there comes first: devices are read when the registry has been.
    const mayRun = () => this.isConnected && queue.running < REQUESTS_PER_DEVICE && this.runningInAll < REQUESTS_IN_ALL;
    while (mayRun() && queue.waiting.size > 0) {
      const [key, task] = queue.waiting.entries().next().value as [string, () => Promise<void>];
      queue.waiting.delete(key);
      queue.running += 1;
      this.runningInAll += 1;
      task()
        .then(() => this.failures.delete(deviceId))
        .catch((error: unknown) => {
          this.failures.set(deviceId, failureOf(error));
          this.retryLater(deviceId);
        })
        .finally(() => {
          queue.running -= 1;
          this.runningInAll -= 1;
          this.announceDevice(deviceId);
          if (queue.running === 0 && queue.waiting.size === 0) this.work.delete(deviceId);
          this.nextOfAll();
        });
    }
  }

  private nextOfAll(): void {
    for (const deviceId of [...this.work.keys()]) {
      if (this.runningInAll >= REQUESTS_IN_ALL) return;
      this.next(deviceId);
    }
  }

  private retryLater(deviceId: string): void {
    if (this.retries.has(deviceId)) return;
    const timer = setTimeout(() => {
      this.retries.delete(deviceId);
      if (this.registered.device(deviceId) !== undefined) this.readDeviceAnew(deviceId);
    }, REREAD_AFTER_FAILURE_MS);
    this.retries.set(deviceId, timer);
  }

  private announceDevice(deviceId: string | undefined): void {
    const nodeId = deviceId === undefined ? null : this.registered.nodeOfDevice(deviceId);
    this.announce(nodeId === null ? [] : [nodeId]);
  }

  private announce(nodeIds: Iterable<string> = []): void {
    if (this.untold === null) {
      const nodes = new Set<string>();
      this.untold = nodes;
      setImmediate(() => {
        this.untold = null;
        this.onNews({ nodes });
      });
    }
    for (const id of nodeIds) this.untold.add(id);
  }
}
