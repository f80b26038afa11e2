import type { Server } from 'node:http';
import { writeSdp, type SdpAudio } from '../core/formats/sdp';
import { clockIdentityText } from '../core/clocks/dataset';
import type { RateHz } from '../core/streams/format';
import { isMulticast, parseAddress } from '../core/network/address';
import { ChannelMappingApi, type ActiveMap, type MapEntry } from './channel-mapping';
import { ConnectionApi, idleConnection, type Connection, type Constraint } from './connection';
import { eventRoutes } from './event-routes';
import { eventsOf, hasEvents, usualValue, type StandinEvent } from './events';
import { firstMapOf, inputOf, outputOf } from './first-map';
import type { StandinPatched, StandinSpec } from './fleet';
import {
  close,
  httpServer,
  json,
  listen,
  problem,
  route,
  type Request,
  type Response,
  type Route,
} from '../registry/http';
import type { PtpFabric } from './ptp';
import { Registration } from './registration';
import { hasChannelMap, idsOf, mac, resourcesOf, type NodeIds } from './resources';

export const MANNERS = ['sound', 'refusing', 'lying'] as const;
type Manner = (typeof MANNERS)[number];

/** What a stand-in remembers through a restart. */
export interface StandinMemory {
  label: string;
  isPlugged: boolean;
  connections: Connection[];
  map: ActiveMap;
  /** Set when it was changed by hand. */
  rateHz?: RateHz;
}

interface NodeOptions {
  readonly port: number;
  readonly registryUrl: string;
  readonly heartbeatMs: number;
  /** Called when there is something new to remember. */
  readonly remember: () => void;
  /** The PTP that it takes part in. */
  readonly ptp?: PtpFabric;
}

/** One simulated device: an IS-04 node with IS-05 and IS-08, that keeps what it was told. */
export class StandinNode {
  readonly nodeId: string;
  readonly deviceId: string;
  private readonly ids: NodeIds;
  isPlugged = false;
  delayMs = 0;
  /** How long it is busy with what it is told before it answers; it says how it is meanwhile. */
  busyMs = 0;
  /** By how much it is late with what was to be done at a moment. */
  lagMs = 0;
  /** How it takes what it is told. Not remembered: whoever restarts it has a sound device. */
  manner: Manner = 'sound';
  /** Whether it refuses a request to change something, or does it and says that it did not. Null: neither. */
  trouble: ((request: Request) => 'refused' | 'done-and-refused' | null) | null = null;
  /** Makes it describe its streams otherwise than it was told. */
  says: ((audio: SdpAudio) => SdpAudio) | null = null;
  /** What its senders and receivers take less than every device does, by the name of the parameter. */
  limits: Readonly<Record<string, Constraint>> = {};
  label: string;
  /** Why it does not answer although it is plugged in, e.g. its address is taken. */
  fault: string | null = null;
  rateHz: RateHz;
  private readonly connections = new Map<string, Connection>();
  private map: ActiveMap;
  private readonly told = new Map<string, number>();
  private mapActivation: { mode: string | null; requested_time: string | null; activation_time: string | null } = {
    mode: null,
    requested_time: null,
    activation_time: null,
  };
  private readonly connectionApi: ConnectionApi;
  private readonly mappingApi: ChannelMappingApi;
  private servers: Server[] = [];
  private readonly registration: Registration;

  constructor(
    readonly spec: StandinSpec,
    private readonly options: NodeOptions,
    memory: StandinMemory | undefined,
  ) {
    const { frameSerial = spec.serial } = spec;
    this.ids = { ...idsOf(spec.serial), node: idsOf(frameSerial).node };
    this.nodeId = this.ids.node;
    this.deviceId = this.ids.device;
    this.registration = new Registration({
      registryUrl: options.registryUrl,
      heartbeatMs: options.heartbeatMs,
      nodeId: this.nodeId,
      // The node of a card is its frame, which registers itself.
      resources: () => this.resources().filter(([type]) => spec.frameSerial === undefined || type !== 'node'),
    });
    this.label = memory?.label ?? spec.name;
    this.rateHz = memory?.rateHz ?? spec.rateHz;
    options.ptp?.onReport(spec.id, () => this.registration.publish('node', this.nodeId));
    const legs = spec.legs.map((l) => l.address);
    const connect = (id: string, kind: Connection['kind']) => this.connections.set(id, idleConnection(id, kind, legs));
    for (let n = 1; n <= spec.streamsSend; n += 1) connect(this.ids.sender(n), 'sender');
    for (let n = 1; n <= spec.streamsReceive; n += 1) connect(this.ids.receiver(n), 'receiver');
    const { inputs, outputs, map } = firstMapOf(spec, this.ids);
    this.map = map;
    for (const kept of memory?.connections ?? [])
      if (this.connections.has(kept.id)) this.connections.set(kept.id, kept);
    for (const [id, entries] of Object.entries(hasChannelMap(spec) ? (memory?.map ?? {}) : {}))
      if (id in this.map) Object.assign(this.map[id] as object, entries);

    this.connectionApi = new ConnectionApi({
      connections: () => this.connections,
      legAddresses: () => legs,
      sdpOf: (connection) => this.sdpOf(connection),
      lagMs: () => this.lagMs,
      limits: () => this.limits,
      changed: (connection, what) => {
        this.options.remember();
        if (what === 'active') this.registration.publish(connection.kind, connection.id);
      },
    });
    this.mappingApi = new ChannelMappingApi({
      inputs: () => inputs,
      outputs: () => outputs,
      activeMap: () => this.map,
      lagMs: () => this.lagMs,
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
    const mapping = hasChannelMap(this.spec) ? this.mappingApi.routes() : [];
    const valueOf = (event: StandinEvent) => this.told.get(event.label) ?? usualValue(event);
    const events = eventRoutes(this.spec, this.ids, valueOf);
    const own = [...this.nodeRoutes(), ...this.connectionApi.routes(), ...mapping, ...events];
    const routes = own.map((r) => ({ ...r, handle: (request: Request) => this.inManner(r, request) }));
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
    await this.registration.start();
  }

  /** Pulled out without a word, as a cable would be: the registry finds out when heartbeats stop. */
  async unplug(): Promise<void> {
    this.isPlugged = false;
    this.registration.stop();
    this.options.ptp?.switchOff(this.spec.id);
    this.connectionApi.stop();
    this.mappingApi.stop();
    const servers = this.servers;
    this.servers = [];
    await Promise.all(servers.map(close));
  }

  rename(label: string): void {
    this.label = label;
    this.options.remember();
    this.registration.publish('node', this.nodeId);
    this.registration.publish('device', this.deviceId);
  }

  /** Answers as its manner is. One that lies says yes to what it is told, and goes on as before. */
  private async inManner(r: Route, request: Request): Promise<Response> {
    const trouble = r.method === 'GET' ? null : (this.trouble?.(request) ?? null);
    if (trouble === 'done-and-refused') await r.handle(request);
    if (trouble !== null) return problem(500, 'Internal error', 'this stand-in was set to fail here');
    if (r.method === 'GET') return r.handle(request);
    if (this.manner === 'sound') {
      const answered = await r.handle(request);
      if (this.busyMs > 0) await new Promise((resolve) => setTimeout(resolve, this.busyMs).unref());
      return answered;
    }
    if (this.manner === 'refusing') return problem(500, 'Internal error', 'this stand-in was set to refuse');
    const before = structuredClone({ connections: [...this.connections], map: this.map });
    const answer = await r.handle(request);
    for (const [id, connection] of before.connections) this.connections.set(id, connection);
    this.map = before.map;
    return answer;
  }

  private async wait(): Promise<boolean> {
    if (this.delayMs > 0) await new Promise((resolve) => setTimeout(resolve, this.delayMs).unref());
    return this.isPlugged;
  }

  private remap(action: ActiveMap, activation: typeof this.mapActivation): void {
    this.mapActivation = activation;
    for (const [outputId, entries] of Object.entries(action)) {
      const target = this.map[outputId] as Record<string, MapEntry>;
      for (const [index, entry] of Object.entries(entries)) target[index] = { ...entry };
      const n = /^stream-out-(\d+)$/.exec(outputId)?.[1];
      if (n !== undefined) this.registration.publish('source', this.ids.source(Number(n)));
    }
    this.options.remember();
    this.registration.publish('device', this.deviceId);
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
    const audio: SdpAudio = {
      name: `${this.label} stream ${n}`,
      origin: {
        username: '-',
        sessionId: String(parseInt(connection.id.slice(0, 8), 16)),
        version: Number(this.registration.version(connection.id).split(':')[0]),
        address: String(legs[0]?.['source_ip'] ?? this.spec.legs[0]?.address),
      },
      payloadType: 97,
      format: { encoding: this.spec.encoding, rateHz: this.rateHz, packetTimeUs: this.spec.packetTimeUs },
      channels: Math.max(1, this.widthOf(n)),
      mediaClockOffset: 0,
      referenceClock: this.referenceClock(),
      channelOrder: null,
      legs: legs.map((p, index) => ({
        mid: legs.length === 2 ? (['A', 'B'][index] ?? null) : null,
        group: String(p['destination_ip']),
        ttl: isMulticast(parseAddress(String(p['destination_ip'])) ?? 0) ? 32 : null,
        port: Number(p['destination_port']),
        sourceAddress: String(p['source_ip']),
      })),
    };
    return writeSdp(this.says?.(audio) ?? audio);
  }

  /** RFC 7273: the grandmaster that it follows and its domain, else its own clock. */
  private referenceClock(): string {
    const gmid = this.options.ptp?.report(this.spec.id)?.gmid ?? null;
    return gmid === null
      ? `localmac=${mac(this.spec.serial, 0).toUpperCase()}`
      : `ptp=IEEE1588-2008:${clockIdentityText(gmid)}:${this.options.ptp?.domainOf(this.spec.id) ?? 0}`;
  }

  private numberOf(connection: Connection): number {
    const idOf = connection.kind === 'sender' ? this.ids.sender : this.ids.receiver;
    const count = connection.kind === 'sender' ? this.spec.streamsSend : this.spec.streamsReceive;
    for (let n = 1; n <= count; n += 1) if (idOf(n) === connection.id) return n;
    return 0;
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

  /** What a pack tells from now on. False where it has no such radio channel. */
  tell(channel: number, kind: StandinEvent['kind'], value: number): boolean {
    const event = eventsOf(this.spec).find((e) => e.channel === channel && e.kind === kind);
    if (event === undefined || value < event.min || value > event.max) return false;
    this.told.set(event.label, value);
    return true;
  }

  /** As when someone patches a channel of a terminal at the device itself; null: from nothing. False where it does not let it. */
  repatch(terminalId: string, channel: number, from: StandinPatched | null): boolean {
    const entry = {
      input: from === null ? null : inputOf(from.terminalId),
      channel_index: from === null ? null : from.channel - 1,
    };
    return this.mappingApi.doNow({ [outputOf(terminalId)]: { [String(channel - 1)]: entry } });
  }

  /** As when someone turns the rate on its own front panel. False where it has no such rate. */
  changeRate(rateHz: number): boolean {
    const rate = this.spec.ratesHz.find((r) => r === rateHz);
    if (rate === undefined) return false;
    this.rateHz = rate;
    this.options.remember();
    for (let n = 1; n <= this.spec.streamsSend; n += 1) {
      this.registration.publish('flow', this.ids.flow(n));
      this.registration.publish('sender', this.ids.sender(n));
    }
    for (let n = 1; n <= this.spec.streamsReceive; n += 1) this.registration.publish('receiver', this.ids.receiver(n));
    return true;
  }

  get hasReference(): boolean {
    return this.options.ptp?.hasReference(this.spec.id) === true;
  }

  private resources() {
    return resourcesOf({
      spec: this.spec,
      ids: this.ids,
      port: this.options.port,
      label: this.label,
      rateHz: this.rateHz,
      clock: this.clock(),
      version: (id) => this.registration.version(id),
      activeOf: (id) => (this.connections.get(id) as Connection).active,
      widthOf: (n) => this.widthOf(n),
    });
  }

  private nodeRoutes(): Route[] {
    const api = '/x-nmos/node/v1.3';
    const list = (type: string) =>
      this.resources()
        .filter(([t]) => `${t}s` === type)
        .map(([, r]) => r);
    return [
      route('GET', '/', () => json(['x-nmos/'])),
      route('GET', '/x-nmos', () =>
        json([
          'node/',
          'connection/',
          ...(hasChannelMap(this.spec) ? ['channelmapping/'] : []),
          ...(hasEvents(this.spec) ? ['events/'] : []),
        ]),
      ),
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
}
