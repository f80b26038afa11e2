import {
  byLabel,
  essenceOfEnd,
  readDevice,
  readEnd,
  readFlow,
  readNode,
  readSource,
  type DeviceResource,
  type EndResource,
  type FlowResource,
  type FollowedPath,
  type KnownIds,
  type NodeResource,
  type SourceResource,
} from '../core/formats/is04';
import type { Essence } from '../core/streams/essence';
import type { ConnectionKind } from './device-reader';
import type { PulsePlace } from './pulse';
import { hostOf } from './reachable-hosts';

/** Where connections of one of its senders or receivers are made (IS-05); null: nowhere. */
export function connectionHrefOf({ devices }: FieldNode, end: EndResource): string | null {
  return devices.find((d) => d.id === end.deviceId)?.connectionHref ?? null;
}

/** One node of the field with everything that the registry tells of it. */
export interface FieldNode {
  readonly node: NodeResource;
  /** The device of most of its streams, which also has its channel map. */
  readonly device: DeviceResource | null;
  /** All its devices, that one first. */
  readonly devices: readonly DeviceResource[];
  /**
   * Those that carry sound, device by device and in the order of their labels: where the plan knows no better the nth is the device's nth
   * stream. Pictures and data are left out.
   */
  readonly senders: readonly EndResource[];
  readonly receivers: readonly EndResource[];
  /** How many it has of other essences. */
  readonly others: Readonly<Record<Exclude<Essence, 'audio'>, number>>;
}

const KINDS = ['senders', 'receivers'] as const;

/** So many of one kind are known; whatever comes beyond them is left out. */
const KNOWN_MAX = 200_000;

/**
 * The resources of a registry, joined to nodes. Every change says which nodes it concerns, and only these are joined again: a
 * node of which nothing changed stays the same object.
 */
export class FieldResources {
  private readonly raw = {
    nodes: new Map<string, NodeResource>(),
    devices: new Map<string, DeviceResource>(),
    sources: new Map<string, SourceResource>(),
    flows: new Map<string, FlowResource>(),
    senders: new Map<string, EndResource>(),
    receivers: new Map<string, EndResource>(),
  };
  /** The ids that resources name, as one and the same text: a house has tens of thousands that name their device, source or flow. */
  private readonly known: KnownIds = {
    device: (id) => this.raw.devices.get(id)?.id ?? id,
    source: (id) => this.raw.sources.get(id)?.id ?? id,
    flow: (id) => this.raw.flows.get(id)?.id ?? id,
  };
  private readonly devicesByNode = new Map<string, Set<string>>();
  private readonly eventsByDevice = new Map<string, Set<string>>();
  private readonly endsByDevice = {
    senders: new Map<string, Set<string>>(),
    receivers: new Map<string, Set<string>>(),
  };
  private readonly sendersByFlow = new Map<string, Set<string>>();
  private readonly joined = new Map<string, FieldNode>();
  private readonly stale = new Set<string>();
  /** Registered, but not answering: as good as gone. */
  private readonly silent = new Set<string>();
  /** By id: the version in which a resource is known. */
  private readonly versions = new Map<string, string>();
  /** Devices as they were reported, with addresses that are not talked to. */
  private readonly told = new Map<string, DeviceResource>();
  /** By device: addresses at which it did not answer of late. */
  private readonly failedHrefs = new Map<string, Set<string>>();
  /** Nodes whose id another one claims too. */
  readonly contestedIds = new Set<string>();

  /** @param allows whether requests may go to an address that a device names */
  constructor(private readonly allows: (href: string) => boolean = () => true) {}

  /** Whether a resource is known in just this version. */
  isKnown(path: FollowedPath, id: string, version: unknown): boolean {
    return typeof version === 'string' && this.versions.get(id) === version && this.raw[path].has(id);
  }

  node(id: string): NodeResource | undefined {
    return this.raw.nodes.get(id);
  }

  hasNode(id: string): boolean {
    return this.raw.nodes.has(id);
  }

  device(id: string): DeviceResource | undefined {
    return this.raw.devices.get(id);
  }

  deviceIds(): Iterable<string> {
    return this.raw.devices.keys();
  }

  source(id: string): SourceResource | undefined {
    return this.raw.sources.get(id);
  }

  end(kind: ConnectionKind, id: string): EndResource | undefined {
    return this.raw[kind].get(id);
  }

  endIds(kind: ConnectionKind, deviceId: string): Iterable<string> {
    return this.endsByDevice[kind].get(deviceId) ?? [];
  }

  ids(path: FollowedPath): string[] {
    return [...this.raw[path].keys()];
  }

  sourceOfSender(senderId: string): string | null {
    const flowId = this.raw.senders.get(senderId)?.flowId;
    return (flowId && this.raw.flows.get(flowId)?.sourceId) || null;
  }

  /** The sources of events of a device (IS-07). */
  eventSourcesOf(deviceId: string): SourceResource[] {
    return [...(this.eventsByDevice.get(deviceId) ?? [])].flatMap((id) => this.raw.sources.get(id) ?? []);
  }

  /** How many channels the source of a sender has; null: not said. */
  channelsOfSender(senderId: string): number | null {
    return this.raw.sources.get(this.sourceOfSender(senderId) ?? '')?.channels ?? null;
  }

  /** Takes in a resource as the registry sends it. Returns the nodes that it concerns. */
  put(path: FollowedPath, id: string, resource: Record<string, unknown>): readonly string[] {
    if (this.raw[path].size >= KNOWN_MAX && !this.raw[path].has(id)) return [];
    const before = this.nodesOf(path, id);
    this.unlink(path, id);
    if (typeof resource['version'] === 'string') this.versions.set(id, resource['version']);
    switch (path) {
      case 'nodes':
        this.raw.nodes.set(id, readNode(resource));
        break;
      case 'sources': {
        const source = readSource(resource, this.known);
        this.raw.sources.set(id, source);
        if (source.eventType !== null) link(this.eventsByDevice, source.deviceId, id);
        break;
      }
      case 'flows':
        this.raw.flows.set(id, readFlow(resource, this.known));
        break;
      case 'devices': {
        const device = readDevice(resource);
        this.told.set(id, device);
        this.raw.devices.set(id, this.allowed(device));
        link(this.devicesByNode, device.nodeId, id);
        break;
      }
      case 'senders':
      case 'receivers': {
        const end = readEnd(resource, this.known);
        this.raw[path].set(id, end);
        link(this.endsByDevice[path], end.deviceId, id);
        if (path === 'senders' && end.flowId !== null) link(this.sendersByFlow, end.flowId, id);
        break;
      }
    }
    return this.outdate([...before, ...this.nodesOf(path, id)]);
  }

  /**
   * Says that a device did not answer where it is talked to: the next of the addresses that it names is taken. Returns whether there
   * was one; when none is left it begins with the first again.
   */
  tryElsewhere(deviceId: string): boolean {
    const told = this.told.get(deviceId);
    const was = this.raw.devices.get(deviceId);
    if (told === undefined || was === undefined) return false;
    const failed = this.failedHrefs.get(deviceId) ?? new Set();
    for (const href of [was.connectionHref, was.channelMapHref, was.eventsHref]) if (href !== null) failed.add(href);
    const isLeft = [...told.connectionHrefs, ...told.channelMapHrefs].some((h) => !failed.has(h) && this.allows(h));
    if (!isLeft) failed.clear();
    this.failedHrefs.set(deviceId, failed);
    const is = this.allowed(told);
    if (is.connectionHref !== was.connectionHref || is.channelMapHref !== was.channelMapHref) {
      this.raw.devices.set(deviceId, is);
      this.outdate(this.nodesOf('devices', deviceId));
    }
    return isLeft;
  }

  /** Where requests may go has changed. Returns the devices that are now talked to otherwise than before. */
  allowAgain(): string[] {
    const changed: string[] = [];
    for (const [id, told] of this.told) {
      const was = this.raw.devices.get(id);
      const is = this.allowed(told);
      if (was?.connectionHref === is.connectionHref && was.channelMapHref === is.channelMapHref) continue;
      this.raw.devices.set(id, is);
      this.outdate(this.nodesOf('devices', id));
      changed.push(id);
    }
    return changed;
  }

  /** The device without the addresses that are not talked to; it says which these are. */
  private allowed(device: DeviceResource): DeviceResource {
    const failed = this.failedHrefs.get(device.id);
    const first = (hrefs: readonly string[]): string | null => {
      const allowed = hrefs.filter((href) => this.allows(href));
      return allowed.find((href) => failed?.has(href) !== true) ?? allowed[0] ?? null;
    };
    const connectionHref = first(device.connectionHrefs);
    const channelMapHref = first(device.channelMapHrefs);
    const eventsHref = first(device.eventsHrefs);
    const refused = [
      ...(connectionHref === null ? device.connectionHrefs : []),
      ...(channelMapHref === null ? device.channelMapHrefs : []),
    ][0];
    const isAllowed = refused === undefined ? {} : { notAllowedHost: hostOf(refused) ?? refused };
    return { ...device, connectionHref, channelMapHref, eventsHref, ...isAllowed };
  }

  /** Forgets a resource. Returns the nodes that it concerned. */
  remove(path: FollowedPath, id: string): readonly string[] {
    const before = this.nodesOf(path, id);
    this.unlink(path, id);
    this.raw[path].delete(id);
    this.versions.delete(id);
    if (path === 'devices') {
      this.told.delete(id);
      this.failedHrefs.delete(id);
    }
    if (path === 'nodes') {
      this.silent.delete(id);
      this.contestedIds.delete(id);
    }
    return this.outdate(before);
  }

  /** The node that a device belongs to; it need not be there. */
  nodeOfDevice(deviceId: string): string | null {
    return this.raw.devices.get(deviceId)?.nodeId ?? null;
  }

  /** Says of a node that another one claims its id, or does no more. Returns whether that is news. */
  setContested(nodeId: string, isContested: boolean): boolean {
    if (this.contestedIds.has(nodeId) === isContested) return false;
    if (isContested) this.contestedIds.add(nodeId);
    else this.contestedIds.delete(nodeId);
    this.stale.add(nodeId);
    return true;
  }

  /** Says of a node that it does not answer, or does again. The registry may hold it for a while yet. */
  setSilent(nodeId: string, isSilent: boolean): void {
    if (isSilent) this.silent.add(nodeId);
    else this.silent.delete(nodeId);
    this.stale.add(nodeId);
  }

  /** Where each registered node takes connections (IS-05); those that take none are left out. */
  *places(): Iterable<PulsePlace> {
    for (const { nodeId, connectionHref } of this.raw.devices.values()) {
      if (connectionHref === null || !this.raw.nodes.has(nodeId) || !URL.canParse(connectionHref)) continue;
      const { hostname, port, protocol } = new URL(connectionHref);
      const host = hostname.replace(/^\[|\]$/g, '');
      yield { nodeId, host, port: Number(port) || (protocol === 'https:' ? 443 : 80) };
    }
  }

  /** The devices of a node, by their own ids. */
  devicesOf(nodeId: string): Iterable<string> {
    return this.devicesByNode.get(nodeId) ?? [];
  }

  /** All nodes that are there and answer, by id. The map stays the same one and goes along with what changes. */
  nodes(): ReadonlyMap<string, FieldNode> {
    for (const id of this.stale) {
      const node = this.raw.nodes.get(id);
      if (node === undefined || this.silent.has(id)) this.joined.delete(id);
      else this.joined.set(id, this.join(node));
    }
    this.stale.clear();
    return this.joined;
  }

  private join(node: NodeResource): FieldNode {
    const flowOf = (flowId: string) => this.raw.flows.get(flowId);
    const others = { picture: 0, ancillary: 0 };
    const parts = [...(this.devicesByNode.get(node.id) ?? [])].flatMap((id) => {
      const device = this.raw.devices.get(id);
      if (device === undefined) return [];
      const ends = (kind: ConnectionKind) =>
        [...this.endIds(kind, id)]
          .flatMap((endId) => this.raw[kind].get(endId) ?? [])
          .filter((end) => {
            const essence = essenceOfEnd(end, flowOf);
            if (essence === 'picture' || essence === 'ancillary') others[essence] += 1;
            return essence === 'audio';
          })
          .sort(byLabel);
      return [{ device, senders: ends('senders'), receivers: ends('receivers') }];
    });
    const streams = (part: (typeof parts)[number]) => part.senders.length + part.receivers.length;
    parts.sort((a, b) => streams(b) - streams(a) || byLabel(a.device, b.device));
    return {
      node,
      device: parts[0]?.device ?? null,
      devices: parts.map((p) => p.device),
      senders: parts.flatMap((p) => p.senders),
      receivers: parts.flatMap((p) => p.receivers),
      others,
    };
  }

  private outdate(nodeIds: readonly string[]): readonly string[] {
    for (const id of nodeIds) this.stale.add(id);
    return nodeIds;
  }

  private nodesOf(path: FollowedPath, id: string): string[] {
    const ofDevice = (deviceId: string | undefined) => {
      const nodeId = deviceId === undefined ? null : this.nodeOfDevice(deviceId);
      return nodeId === null ? [] : [nodeId];
    };
    switch (path) {
      case 'nodes':
        return [id];
      case 'devices':
        return ofDevice(id);
      case 'sources':
        return ofDevice(this.raw.sources.get(id)?.deviceId);
      case 'flows':
        return [...(this.sendersByFlow.get(id) ?? [])].flatMap((s) => ofDevice(this.raw.senders.get(s)?.deviceId));
      case 'senders':
      case 'receivers':
        return ofDevice(this.raw[path].get(id)?.deviceId);
    }
  }

  private unlink(path: FollowedPath, id: string): void {
    if (path === 'devices') unlink(this.devicesByNode, this.raw.devices.get(id)?.nodeId, id);
    for (const kind of KINDS) if (path === kind) unlink(this.endsByDevice[kind], this.raw[kind].get(id)?.deviceId, id);
    if (path === 'sources') unlink(this.eventsByDevice, this.raw.sources.get(id)?.deviceId, id);
    if (path === 'senders') unlink(this.sendersByFlow, this.raw.senders.get(id)?.flowId, id);
  }
}

function link(index: Map<string, Set<string>>, from: string, to: string): void {
  const known = index.get(from);
  if (known === undefined) index.set(from, new Set([to]));
  else known.add(to);
}

function unlink(index: Map<string, Set<string>>, from: string | null | undefined, to: string): void {
  if (from == null) return;
  const known = index.get(from);
  known?.delete(to);
  if (known?.size === 0) index.delete(from);
}
