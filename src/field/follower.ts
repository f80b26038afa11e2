import {
  readChannelMap,
  readEnd as readConnection,
  type ChannelMap,
  type EndKind,
  type EndReading,
} from './device-reader';
import { failureOf, type DeviceFailure } from './http-json';
import { RegistryClient } from './registry-client';
import {
  byLabel,
  readDevice,
  readEnd,
  readFlow,
  readNode,
  type DeviceResource,
  type EndResource,
  type FlowResource,
  type FollowedPath,
  type NodeResource,
} from '../core/formats/is04';

/** One node of the field with everything read from it. */
export interface FieldNode {
  readonly node: NodeResource;
  readonly device: DeviceResource | null;
  /** In the order of their labels: the nth is the device's nth stream. */
  readonly senders: readonly EndResource[];
  readonly receivers: readonly EndResource[];
}

export interface FieldSnapshot {
  readonly registryUrl: string;
  readonly isConnected: boolean;
  readonly disconnectedBecause: string | null;
  readonly nodes: ReadonlyMap<string, FieldNode>;
  readonly sourceOfSender: (senderId: string) => string | null;
  readonly readings: ReadonlyMap<string, EndReading>;
  readonly channelMaps: ReadonlyMap<string, ChannelMap>;
  /** By IS-04 device id: why the last reading of it failed. */
  readonly failures: ReadonlyMap<string, DeviceFailure>;
}

/** Requests at once to one device, so that a slow one neither drowns nor holds up the others. */
const REQUESTS_PER_DEVICE = 4;
/** Requests at once to all devices together, so that reading hundreds of them leaves room for everything else. */
const REQUESTS_IN_ALL = 16;
const REREAD_AFTER_FAILURE_MS = 3000;

/**
 * Keeps a picture of the field: which nodes are there, what their senders and receivers do, how their channels are mapped.
 * Knows open interfaces only. `onChange` is called after every change, at most once per turn of the event loop.
 */
export class FieldFollower {
  private readonly raw = {
    nodes: new Map<string, NodeResource>(),
    devices: new Map<string, DeviceResource>(),
    flows: new Map<string, FlowResource>(),
    senders: new Map<string, EndResource>(),
    receivers: new Map<string, EndResource>(),
  };
  private readonly readings = new Map<string, EndReading>();
  private readonly channelMaps = new Map<string, ChannelMap>();
  private readonly failures = new Map<string, DeviceFailure>();
  private readonly client: RegistryClient;
  private readonly work = new Map<string, { waiting: Map<string, () => Promise<void>>; running: number }>();
  private runningInAll = 0;
  private readonly retries = new Map<string, NodeJS.Timeout>();
  private isConnected = false;
  private disconnectedBecause: string | null = 'not connected yet';
  private isAnnouncing = false;
  private grouped: ReadonlyMap<string, FieldNode> | null = null;

  constructor(
    readonly registryUrl: string,
    private readonly onChange: () => void,
  ) {
    this.client = new RegistryClient(registryUrl, {
      full: (path, resources) => this.full(path, resources),
      changed: (path, id, post) => this.changed(path, id, post),
      connected: () => {
        this.isConnected = true;
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
  }

  stop(): void {
    this.client.stop();
    for (const timer of this.retries.values()) clearTimeout(timer);
  }

  /** Reads the registry and every device anew. Resolves when the registry was read; devices follow. */
  async readAnew(): Promise<void> {
    await this.client.readAll();
    for (const device of this.raw.devices.values()) this.readDeviceAnew(device.id);
  }

  /** Everything the registry holds now, by kind. */
  resources(): Promise<Record<string, readonly Record<string, unknown>[]>> {
    return this.client.resources();
  }

  readDeviceAnew(deviceId: string): void {
    for (const kind of ['senders', 'receivers'] as const) {
      for (const end of this.raw[kind].values()) if (end.deviceId === deviceId) this.queueEnd(kind, end.id);
    }
    this.queueMap(deviceId);
  }

  snapshot(): FieldSnapshot {
    return {
      registryUrl: this.registryUrl,
      isConnected: this.isConnected,
      disconnectedBecause: this.disconnectedBecause,
      nodes: this.nodesGrouped(),
      sourceOfSender: (senderId) => {
        const flowId = this.raw.senders.get(senderId)?.flowId;
        return (flowId && this.raw.flows.get(flowId)?.sourceId) || null;
      },
      readings: this.readings,
      channelMaps: this.channelMaps,
      failures: this.failures,
    };
  }

  /** Takes in what a device answered to a request of ours, without asking it again. */
  noteReading(endId: string, reading: EndReading): void {
    this.readings.set(endId, reading);
    this.announce();
  }

  private nodesGrouped(): ReadonlyMap<string, FieldNode> {
    if (this.grouped !== null) return this.grouped;
    const ends = (kind: EndKind) => {
      const byDevice = new Map<string, EndResource[]>();
      for (const end of this.raw[kind].values()) {
        const list = byDevice.get(end.deviceId);
        if (list) list.push(end);
        else byDevice.set(end.deviceId, [end]);
      }
      for (const list of byDevice.values()) list.sort(byLabel);
      return byDevice;
    };
    const senders = ends('senders');
    const receivers = ends('receivers');
    const deviceOfNode = new Map<string, DeviceResource>();
    for (const device of [...this.raw.devices.values()].sort(byLabel)) {
      if (!deviceOfNode.has(device.nodeId)) deviceOfNode.set(device.nodeId, device);
    }
    const grouped = new Map<string, FieldNode>();
    for (const node of this.raw.nodes.values()) {
      const device = deviceOfNode.get(node.id) ?? null;
      grouped.set(node.id, {
        node,
        device,
        senders: (device && senders.get(device.id)) ?? [],
        receivers: (device && receivers.get(device.id)) ?? [],
      });
    }
    this.grouped = grouped;
    return grouped;
  }

  private full(path: FollowedPath, resources: readonly Record<string, unknown>[]): void {
    const present = new Set(resources.map((r) => String(r['id'])));
    for (const id of [...this.raw[path].keys()]) if (!present.has(id)) this.changed(path, id, null);
    for (const resource of resources) this.changed(path, String(resource['id']), resource);
    this.announce();
  }

  private changed(path: FollowedPath, id: string, post: Record<string, unknown> | null): void {
    this.grouped = null;
    if (post === null) {
      this.raw[path].delete(id);
      if (path === 'senders' || path === 'receivers') this.readings.delete(id);
      if (path === 'devices') {
        this.channelMaps.delete(id);
        this.failures.delete(id);
      }
      this.announce();
      return;
    }
    switch (path) {
      case 'nodes':
        this.raw.nodes.set(id, readNode(post));
        break;
      case 'flows':
        this.raw.flows.set(id, readFlow(post));
        break;
      case 'devices': {
        const before = this.raw.devices.get(id);
        const after = readDevice(post);
        this.raw.devices.set(id, after);
        if (before?.version !== after.version || !this.channelMaps.has(id)) this.queueMap(id);
        // Ends that were heard of before their device could not be asked yet.
        if (before === undefined) {
          for (const kind of ['senders', 'receivers'] as const) {
            for (const end of this.raw[kind].values()) if (end.deviceId === id) this.queueEnd(kind, end.id);
          }
        }
        break;
      }
      case 'senders':
      case 'receivers': {
        const before = this.raw[path].get(id);
        const after = readEnd(post);
        this.raw[path].set(id, after);
        if (before?.version !== after.version || !this.readings.has(id)) this.queueEnd(path, id);
        break;
      }
    }
    this.announce();
  }

  private queueEnd(kind: EndKind, id: string): void {
    const end = this.raw[kind].get(id);
    const href = end && this.raw.devices.get(end.deviceId)?.connectionHref;
    if (!end || !href) return;
    this.queue(end.deviceId, id, async () => {
      const reading = await readConnection(href, kind, id);
      if (this.raw[kind].has(id)) this.readings.set(id, reading);
    });
  }

  private queueMap(deviceId: string): void {
    const href = this.raw.devices.get(deviceId)?.channelMapHref;
    if (!href) return;
    this.queue(deviceId, 'map', async () => {
      const map = await readChannelMap(href);
      if (this.raw.devices.has(deviceId)) this.channelMaps.set(deviceId, map);
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
          this.announce();
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
      if (this.raw.devices.has(deviceId)) this.readDeviceAnew(deviceId);
    }, REREAD_AFTER_FAILURE_MS);
    this.retries.set(deviceId, timer);
  }

  private announce(): void {
    if (this.isAnnouncing) return;
    this.isAnnouncing = true;
    setImmediate(() => {
      this.isAnnouncing = false;
      this.onChange();
    });
  }
}
