import { createHash } from 'node:crypto';
import type { Server } from 'node:http';
import { writeSdp } from '../core/formats/sdp';
import { clockIdentityText } from '../core/clocks/dataset';
import type { RateHz } from '../core/streams/format';
import { isMulticast, parseAddress } from '../core/network/address';
import { ChannelMappingApi, type ActiveMap, type MapEntry, type MapInput, type MapOutput } from './channel-mapping';
import { ConnectionApi, idleConnection, type Connection } from './connection';
import type { StandinSpec } from './fleet';
import { close, httpServer, json, listen, problem, route, type Route } from './http';
import type { PtpFabric } from './ptp';
import type { Resource, ResourceType } from './registry';
import { taiNow } from './tai';

/** What a stand-in remembers through a restart. */
export interface StandinMemory {
  label: string;
  isPlugged: boolean;
  connections: Connection[];
  map: ActiveMap;
  /** Set when it was changed by hand. */
  rateHz?: RateHz;
}

export interface NodeOptions {
  readonly port: number;
  readonly registryUrl: string;
  readonly heartbeatMs: number;
  /** Called when there is something new to remember. */
  readonly remember: () => void;
  /** The PTP that it takes part in. */
  readonly ptp?: PtpFabric;
}

/** A stable id made from a serial: the same device has the same ids after every restart. */
export function idFrom(...parts: readonly string[]): string {
  const hex = createHash('sha1').update(parts.join('|')).digest('hex');
  return `${hex.slice(0, 8)}-${hex.slice(8, 12)}-5${hex.slice(13, 16)}-a${hex.slice(17, 20)}-${hex.slice(20, 32)}`;
}

const DEVICE_INPUT = 'sends';
const DEVICE_OUTPUT = 'receives';

/** One simulated device: an IS-04 node with IS-05 and IS-08, that keeps what it was told. */
export class StandinNode {
  readonly nodeId: string;
  readonly deviceId: string;
  isPlugged = false;
  delayMs = 0;
  label: string;
  /** Why it does not answer although it is plugged in, e.g. its address is taken. */
  fault: string | null = null;
  rateHz: RateHz;
  private readonly connections = new Map<string, Connection>();
  private readonly mapInputs = new Map<string, MapInput>();
  private readonly mapOutputs = new Map<string, MapOutput>();
  private map: ActiveMap = {};
  private mapActivation: { mode: string | null; requested_time: string | null; activation_time: string | null } = {
    mode: null,
    requested_time: null,
    activation_time: null,
  };
  private readonly versions = new Map<string, string>();
  private readonly connectionApi: ConnectionApi;
  private readonly mappingApi: ChannelMappingApi;
  private servers: Server[] = [];
  private heartbeat: NodeJS.Timeout | null = null;
  private isRegistered = false;
  private isBeating = false;
  private queue: Promise<void> = Promise.resolve();
  /** What changed while the registry did not know us yet, or was just being told everything. */
  private readonly missed = new Map<string, ResourceType>();

  constructor(
    readonly spec: StandinSpec,
    private readonly options: NodeOptions,
    memory: StandinMemory | undefined,
  ) {
    this.nodeId = idFrom(spec.serial, 'node');
    this.deviceId = idFrom(spec.serial, 'device');
    this.label = memory?.label ?? spec.name;
    this.rateHz = memory?.rateHz ?? spec.rateHz;
    options.ptp?.onReport(spec.id, () => this.publish('node', this.nodeId));
    const legs = spec.legs.map((l) => l.address);
    const names = (count: number, stem: string) => Array.from({ length: count }, (_, n) => `${stem} ${n + 1}`);
    for (let n = 1; n <= spec.streamsSend; n += 1) {
      const id = this.senderId(n);
      this.connections.set(id, idleConnection(id, 'sender', legs));
      this.mapOutputs.set(`stream-out-${n}`, {
        name: `Stream out ${n}`,
        description: '',
        sourceId: idFrom(spec.serial, 'source', String(n)),
        channels: names(spec.channelsPerStream, 'Position'),
      });
    }
    for (let n = 1; n <= spec.streamsReceive; n += 1) {
      const id = this.receiverId(n);
      this.connections.set(id, idleConnection(id, 'receiver', legs));
      this.mapInputs.set(`stream-in-${n}`, {
        name: `Stream in ${n}`,
        description: '',
        parent: { id, type: 'receiver' },
        channels: names(spec.channelsPerStream, 'Position'),
        limits: spec.receiveMap ?? null,
      });
    }
    if (spec.channelsSend > 0) {
      const channels = names(spec.channelsSend, 'Channel');
      this.mapInputs.set(DEVICE_INPUT, {
        name: 'Sends',
        description: '',
        parent: { id: null, type: null },
        channels,
        limits: null,
      });
    }
    if (spec.channelsReceive > 0) {
      const channels = names(spec.channelsReceive, 'Channel');
      this.mapOutputs.set(DEVICE_OUTPUT, { name: 'Receives', description: '', sourceId: null, channels });
    }
    for (const [id, output] of this.mapOutputs) {
      this.map[id] = Object.fromEntries(
        output.channels.map((_, n) => [String(n), { input: null, channel_index: null }]),
      );
    }
    for (const kept of memory?.connections ?? [])
      if (this.connections.has(kept.id)) this.connections.set(kept.id, kept);
    for (const [id, entries] of Object.entries(memory?.map ?? {}))
      if (id in this.map) Object.assign(this.map[id] as object, entries);

    this.connectionApi = new ConnectionApi({
      connections: () => this.connections,
      legAddresses: () => legs,
      sdpOf: (connection) => this.sdpOf(connection),
      changed: (connection, what) => {
        this.options.remember();
        if (what === 'active') this.publish(connection.kind, connection.id);
      },
    });
    this.mappingApi = new ChannelMappingApi({
      inputs: () => this.mapInputs,
      outputs: () => this.mapOutputs,
      activeMap: () => this.map,
      activeSince: () => this.mapActivation,
      mapped: (action, activation) => this.remap(action, activation),
    });
  }

  memory(): StandinMemory {
    return {
      label: this.label,
      isPlugged: this.isPlugged,
      connections: [...this.connections.values()],
      map: this.map,
      ...(this.rateHz === this.spec.rateHz ? {} : { rateHz: this.rateHz }),
    };
  }

  /** Power and network on: it answers on all its addresses and registers. */
  async plug(): Promise<void> {
    if (this.isPlugged) return;
    this.isPlugged = true;
    this.fault = null;
    const routes = [...this.nodeRoutes(), ...this.connectionApi.routes(), ...this.mappingApi.routes()];
    for (const { address } of this.spec.interfaces) {
      const server = httpServer({ routes: () => routes, before: () => this.wait() });
      try {
        await listen(server, address, this.options.port);
        this.servers.push(server);
      } catch (error) {
        this.fault = `${address}: ${(error as NodeJS.ErrnoException).code ?? 'cannot listen'}`;
      }
    }
    // A device whose media address is taken by another is not heard of: it does not register.
    if (this.servers.length === 0 || this.fault !== null) return;
    this.options.ptp?.switchOn(this.spec.id);
    this.heartbeat = setInterval(() => void this.beat(), this.options.heartbeatMs);
    await this.beat();
  }

  /** Pulled out without a word, as a cable would be: the registry finds out when heartbeats stop. */
  async unplug(): Promise<void> {
    this.isPlugged = false;
    this.isRegistered = false;
    this.options.ptp?.switchOff(this.spec.id);
    if (this.heartbeat) clearInterval(this.heartbeat);
    this.heartbeat = null;
    this.connectionApi.stop();
    this.mappingApi.stop();
    const servers = this.servers;
    this.servers = [];
    await Promise.all(servers.map(close));
  }

  rename(label: string): void {
    this.label = label;
    this.options.remember();
    this.publish('node', this.nodeId);
    this.publish('device', this.deviceId);
  }

  private async wait(): Promise<boolean> {
    if (this.delayMs > 0) await new Promise((resolve) => setTimeout(resolve, this.delayMs));
    return this.isPlugged;
  }

  private senderId = (n: number) => idFrom(this.spec.serial, 'sender', String(n));
  private receiverId = (n: number) => idFrom(this.spec.serial, 'receiver', String(n));

  private version(id: string): string {
    let version = this.versions.get(id);
    if (version === undefined) this.versions.set(id, (version = taiNow()));
    return version;
  }

  private remap(action: ActiveMap, activation: typeof this.mapActivation): void {
    this.mapActivation = activation;
    for (const [outputId, entries] of Object.entries(action)) {
      const target = this.map[outputId] as Record<string, MapEntry>;
      for (const [index, entry] of Object.entries(entries)) target[index] = { ...entry };
      const n = /^stream-out-(\d+)$/.exec(outputId)?.[1];
      if (n !== undefined) this.publish('source', idFrom(this.spec.serial, 'source', n));
    }
    this.options.remember();
    this.publish('device', this.deviceId);
  }

  /** A stream is as wide as the last of its positions that anything feeds. */
  private widthOf(n: number): number {
    const entries = Object.entries(this.map[`stream-out-${n}`] ?? {});
    return entries.reduce((width, [index, e]) => (e.input === null ? width : Math.max(width, Number(index) + 1)), 0);
  }

  private sdpOf(connection: Connection): string | null {
    const n = this.numberOf(connection);
    const { active } = connection;
    const legs = active.transport_params.filter((p) => p['rtp_enabled'] === true);
    if (!active.master_enable || legs.length === 0) return null;
    return writeSdp({
      name: `${this.label} stream ${n}`,
      origin: {
        username: '-',
        sessionId: String(parseInt(connection.id.slice(0, 8), 16)),
        version: Number(this.version(connection.id).split(':')[0]),
        address: String(legs[0]?.['source_ip'] ?? this.spec.legs[0]?.address),
      },
      payloadType: 97,
      format: { encoding: this.spec.encoding, rateHz: this.rateHz, packetTimeUs: this.spec.packetTimeUs },
      channels: Math.max(1, this.widthOf(n)),
      mediaClockOffset: 0,
      referenceClock: `localmac=${this.mac(0).toUpperCase()}`,
      channelOrder: null,
      legs: legs.map((p, index) => ({
        mid: legs.length === 2 ? (['A', 'B'][index] ?? null) : null,
        group: String(p['destination_ip']),
        ttl: isMulticast(parseAddress(String(p['destination_ip'])) ?? 0) ? 32 : null,
        port: Number(p['destination_port']),
        sourceAddress: String(p['source_ip']),
      })),
    });
  }

  private numberOf(connection: Connection): number {
    const idOf = connection.kind === 'sender' ? this.senderId : this.receiverId;
    const count = connection.kind === 'sender' ? this.spec.streamsSend : this.spec.streamsReceive;
    for (let n = 1; n <= count; n += 1) if (idOf(n) === connection.id) return n;
    return 0;
  }

  private mac(index: number): string {
    const hex = createHash('sha1').update(`${this.spec.serial}|mac|${index}`).digest('hex');
    return `02-${[0, 2, 4, 6, 8].map((at) => hex.slice(at, at + 2)).join('-')}`;
  }

  /** As IS-04 has it: PTP with its grandmaster, or only an oscillator of its own. */
  private clock() {
    const report = this.options.ptp?.report(this.spec.id) ?? null;
    if (report === null || report.gmid === null) return { name: 'clk0', ref_type: 'internal' };
    return {
      name: 'clk0',
      ref_type: 'ptp',
      traceable: report.traceable,
      version: 'IEEE1588-2008',
      gmid: clockIdentityText(report.gmid).toLowerCase(),
      locked: report.locked,
    };
  }

  /** As when someone turns the rate on its own front panel. False where it has no such rate. */
  changeRate(rateHz: number): boolean {
    const rate = this.spec.ratesHz.find((r) => r === rateHz);
    if (rate === undefined) return false;
    this.rateHz = rate;
    this.options.remember();
    for (let n = 1; n <= this.spec.streamsSend; n += 1) {
      this.publish('flow', idFrom(this.spec.serial, 'flow', String(n)));
      this.publish('sender', this.senderId(n));
    }
    for (let n = 1; n <= this.spec.streamsReceive; n += 1) this.publish('receiver', this.receiverId(n));
    return true;
  }

  get hasReference(): boolean {
    return this.options.ptp?.hasReference(this.spec.id) === true;
  }

  private host(): string {
    return this.spec.interfaces[0]?.address ?? '127.0.0.1';
  }

  /** Everything this node registers, what is pointed at first. */
  private resources(): [ResourceType, Resource][] {
    const base = `http://${this.host()}:${this.options.port}`;
    const legNames = this.spec.legs.map((l) => l.name);
    const instance = { 'urn:x-nmos:tag:asset:instance-id/v1.0': [this.spec.serial] };
    const common = (id: string, label: string, tags: Record<string, string[]> = {}) => ({
      id,
      version: this.version(id),
      label,
      description: '',
      tags,
    });
    const media = 'urn:x-nmos:format:audio';
    const transport = 'urn:x-nmos:transport:rtp.mcast';
    const senders = Array.from({ length: this.spec.streamsSend }, (_, k) => k + 1);
    const receivers = Array.from({ length: this.spec.streamsReceive }, (_, k) => k + 1);
    const depth = this.spec.encoding === 'L16' ? 16 : 24;
    const resources: [ResourceType, Resource][] = [
      [
        'node',
        {
          ...common(this.nodeId, this.label, instance),
          href: `${base}/`,
          hostname: this.spec.id,
          caps: {},
          services: [],
          clocks: [this.clock()],
          api: {
            versions: ['v1.3'],
            endpoints: this.spec.interfaces.map((i) => ({
              host: i.address,
              port: this.options.port,
              protocol: 'http',
            })),
          },
          interfaces: this.spec.interfaces.map((i, n) => ({
            name: i.name,
            chassis_id: this.mac(0),
            port_id: this.mac(n),
            ...(i.attached
              ? { attached_network_device: { chassis_id: i.attached.chassisId, port_id: i.attached.portId } }
              : {}),
          })),
        },
      ],
      [
        'device',
        {
          ...common(this.deviceId, this.label, instance),
          type: 'urn:x-nmos:device:generic',
          node_id: this.nodeId,
          senders: senders.map(this.senderId),
          receivers: receivers.map(this.receiverId),
          controls: [
            { type: 'urn:x-nmos:control:sr-ctrl/v1.1', href: `${base}/x-nmos/connection/v1.1/` },
            { type: 'urn:x-nmos:control:cm-ctrl/v1.0', href: `${base}/x-nmos/channelmapping/v1.0/` },
          ],
        },
      ],
    ];
    for (const n of senders) {
      const sourceId = idFrom(this.spec.serial, 'source', String(n));
      const flowId = idFrom(this.spec.serial, 'flow', String(n));
      const id = this.senderId(n);
      const active = (this.connections.get(id) as Connection).active;
      const width = Math.max(1, this.widthOf(n));
      resources.push([
        'source',
        {
          ...common(sourceId, `Stream ${n}`),
          caps: {},
          device_id: this.deviceId,
          parents: [],
          clock_name: 'clk0',
          format: media,
          channels: Array.from({ length: width }, (_, k) => ({ label: `Position ${k + 1}` })),
        },
      ]);
      resources.push([
        'flow',
        {
          ...common(flowId, `Stream ${n}`),
          source_id: sourceId,
          device_id: this.deviceId,
          parents: [],
          format: media,
          media_type: `audio/${this.spec.encoding}`,
          sample_rate: { numerator: this.rateHz, denominator: 1 },
          bit_depth: depth,
        },
      ]);
      resources.push([
        'sender',
        {
          ...common(id, `Stream ${n}`),
          flow_id: flowId,
          transport,
          device_id: this.deviceId,
          manifest_href: `${base}/x-nmos/connection/v1.1/single/senders/${id}/transportfile`,
          interface_bindings: legNames,
          caps: {},
          subscription: { receiver_id: active.master_enable ? active.peer : null, active: active.master_enable },
        },
      ]);
    }
    for (const n of receivers) {
      const id = this.receiverId(n);
      const active = (this.connections.get(id) as Connection).active;
      resources.push([
        'receiver',
        {
          ...common(id, `Stream ${n}`),
          device_id: this.deviceId,
          transport,
          format: media,
          interface_bindings: legNames,
          caps: {
            media_types: ['audio/L24', 'audio/L16'],
            version: this.version(id),
            constraint_sets: [
              {
                'urn:x-nmos:cap:format:media_type': { enum: ['audio/L24', 'audio/L16'] },
                'urn:x-nmos:cap:format:sample_rate': { enum: [{ numerator: this.rateHz }] },
                'urn:x-nmos:cap:format:channel_count': { minimum: 1, maximum: this.spec.channelsPerStream },
              },
            ],
          },
          subscription: { sender_id: active.master_enable ? active.peer : null, active: active.master_enable },
        },
      ]);
    }
    return resources;
  }

  private nodeRoutes(): Route[] {
    const api = '/x-nmos/node/v1.3';
    const list = (type: string) =>
      this.resources()
        .filter(([t]) => `${t}s` === type)
        .map(([, r]) => r);
    return [
      route('GET', '/', () => json(['x-nmos/'])),
      route('GET', '/x-nmos', () => json(['node/', 'connection/', 'channelmapping/'])),
      route('GET', '/x-nmos/node', () => json(['v1.3/'])),
      route('GET', api, () => json(['self/', 'devices/', 'sources/', 'flows/', 'senders/', 'receivers/'])),
      route('GET', `${api}/self`, () => json(list('nodes')[0])),
      route('GET', `${api}/(devices|sources|flows|senders|receivers)`, (r) => json(list(r.params[0] as string))),
      route('GET', `${api}/(devices|sources|flows|senders|receivers)/([^/]+)`, (r) => {
        const found = list(r.params[0] as string).find((x) => x.id === r.params[1]);
        return found ? json(found) : problem(404, 'Not found');
      }),
    ];
  }

  private async post(path: string, body?: unknown): Promise<number> {
    const response = await fetch(`${this.options.registryUrl}/x-nmos/registration/v1.3/${path}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      signal: AbortSignal.timeout(5000),
    });
    await response.arrayBuffer();
    return response.status;
  }

  /** A heartbeat; where the registry does not know us, we register everything anew. */
  private async beat(): Promise<void> {
    if (this.isBeating) return; // registering everything can take longer than the time between two beats
    this.isBeating = true;
    try {
      if (this.isRegistered && (await this.post(`health/nodes/${this.nodeId}`)) !== 404) return;
      this.isRegistered = false;
      this.missed.clear();
      let beatAt = Date.now();
      for (const [type, data] of this.resources()) {
        if (!this.isPlugged) return;
        // The registry has forgotten what this hangs on: the next beat begins again.
        if ((await this.post('resource', { type, data })) >= 400) return;
        if (Date.now() - beatAt < this.options.heartbeatMs) continue;
        // A node with many resources must not expire while it still registers them.
        if ((await this.post(`health/nodes/${this.nodeId}`)) === 404) return;
        beatAt = Date.now();
      }
      this.isRegistered = true;
      for (const [id, type] of this.missed) this.publish(type, id);
    } catch {
      this.isRegistered = false; // no registry: the next beat tries again
    } finally {
      this.isBeating = false;
    }
  }

  /** Tells the registry of a resource that changed, in order. */
  private publish(type: ResourceType, id: string): void {
    this.versions.set(id, taiNow());
    this.queue = this.queue.then(async () => {
      if (!this.isRegistered) {
        this.missed.set(id, type);
        return;
      }
      const found = this.resources().find(([, r]) => r.id === id);
      if (found === undefined || found[0] !== type) return;
      try {
        // "Created" or "refused" says that the registry had forgotten us: the next beat registers everything.
        if ((await this.post('resource', { type, data: found[1] })) !== 200) this.isRegistered = false;
      } catch {
        this.isRegistered = false;
      }
    });
  }
}
