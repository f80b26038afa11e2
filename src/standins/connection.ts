import { isMulticast, parseAddress } from '../core/network/address';
import { readSdp } from '../core/formats/sdp';
import { json, problem, route, type Response, type Route } from '../registry/http';
import { formatTai, msUntilTai, parseTai, taiNow } from '../core/units/tai';

/** IS-05 v1.1 for RTP multicast: staged and active parameters of senders and receivers, and how one becomes the other. */

type Params = Record<string, string | number | boolean | null>;

export interface Activation {
  mode: 'activate_immediate' | 'activate_scheduled_relative' | 'activate_scheduled_absolute' | null;
  requested_time: string | null;
  activation_time: string | null;
}

interface ConnectionState {
  master_enable: boolean;
  /** The other end: `receiver_id` of a sender, `sender_id` of a receiver. */
  peer: string | null;
  activation: Activation;
  transport_params: Params[];
  /** Receivers only. */
  transport_file: { data: string | null; type: string | null };
}

export interface Connection {
  readonly id: string;
  readonly kind: 'sender' | 'receiver';
  staged: ConnectionState;
  active: ConnectionState;
}

interface ConnectionHost {
  /** By how much it is late with what was to be done at a moment; not there: not at all. */
  readonly lagMs?: () => number;
  /** What it takes besides what every device does, by the name of the parameter. */
  readonly limits?: () => Readonly<Record<string, Constraint>>;
  connections(): ReadonlyMap<string, Connection>;
  /** Loopback addresses of the legs, in order. */
  legAddresses(): readonly string[];
  /** Called after staged became active, and after staged changed. */
  changed(connection: Connection, what: 'staged' | 'active'): void;
  /** The SDP of an active sender, or null while it is not set up. */
  sdpOf(connection: Connection): string | null;
}

/** By the schemas of IS-05 v1.1 for RTP: which parameters may be left to the device, and which may be null. */
const MAY_BE_AUTO = {
  sender: new Set(['source_ip', 'destination_ip', 'source_port', 'destination_port']),
  receiver: new Set(['interface_ip', 'destination_port']),
};
const MAY_BE_NULL = {
  sender: new Set<string>(),
  receiver: new Set(['source_ip', 'multicast_ip']),
};
const AUTO_PORT = 5004;
const AUTO_GROUP = '239.255.200.1';
const UUID = /^[0-9a-f]{8}-[0-9a-f]{4}-[1-5][0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$/;

const IDLE: Activation = { mode: null, requested_time: null, activation_time: null };
const API = '/x-nmos/connection/v1.1';

export function idleConnection(id: string, kind: 'sender' | 'receiver', legs: readonly string[]): Connection {
  const params = legs.map((address): Params =>
    kind === 'sender'
      ? { source_ip: address, destination_ip: '0.0.0.0', source_port: 5004, destination_port: 5004, rtp_enabled: false }
      : { source_ip: null, multicast_ip: null, interface_ip: address, destination_port: 5004, rtp_enabled: false },
  );
  const state = (): ConnectionState => ({
    master_enable: false,
    peer: null,
    activation: { ...IDLE },
    transport_params: params.map((p) => ({ ...p })),
    transport_file: { data: null, type: null },
  });
  return { id, kind, staged: state(), active: state() };
}

function shown(connection: Connection, state: ConnectionState) {
  const { peer, transport_file, ...rest } = state;
  return connection.kind === 'sender' ? { receiver_id: peer, ...rest } : { sender_id: peer, ...rest, transport_file };
}

export interface Constraint {
  readonly enum?: readonly unknown[];
  readonly minimum?: number;
  readonly maximum?: number;
}

function constraintsOf(
  connection: Connection,
  legs: readonly string[],
  limits: Readonly<Record<string, Constraint>> = {},
): Record<string, Constraint>[] {
  return legs.map((address) => {
    const usual: Record<string, Constraint> = usualConstraints(connection, address);
    return Object.fromEntries(Object.entries(usual).map(([key, own]) => [key, limits[key] ?? own]));
  });
}

function usualConstraints(connection: Connection, address: string): Record<string, Constraint> {
  return connection.kind === 'sender'
    ? {
        source_ip: { enum: [address] },
        destination_ip: {},
        source_port: { minimum: 1024, maximum: 65535 },
        destination_port: { minimum: 1024, maximum: 65535 },
        rtp_enabled: {},
      }
    : {
        source_ip: {},
        multicast_ip: {},
        interface_ip: { enum: [address] },
        destination_port: { minimum: 1024, maximum: 65535 },
        rtp_enabled: {},
      };
}

export class ConnectionApi {
  private readonly timers = new Map<string, NodeJS.Timeout>();

  constructor(private readonly host: ConnectionHost) {}

  routes(): Route[] {
    const single = `${API}/single/(senders|receivers)/([^/]+)`;
    return [
      route('GET', '/x-nmos/connection', () => json(['v1.1/'])),
      route('GET', API, () => json(['bulk/', 'single/'])),
      route('GET', `${API}/single`, () => json(['senders/', 'receivers/'])),
      route('GET', `${API}/bulk`, () => json(['senders/', 'receivers/'])),
      route('GET', `${API}/single/(senders|receivers)`, (r) => json(this.all(r.params[0]).map((c) => `${c.id}/`))),
      route('GET', single, (r) =>
        this.with(r.params, (c) => {
          const own = c.kind === 'sender' ? ['transportfile/'] : [];
          return json(['constraints/', 'staged/', 'active/', 'transporttype/', ...own]);
        }),
      ),
      route('GET', `${single}/constraints`, (r) =>
        this.with(r.params, (c) => json(constraintsOf(c, this.host.legAddresses(), this.host.limits?.()))),
      ),
      route('GET', `${single}/staged`, (r) => this.with(r.params, (c) => json(shown(c, c.staged)))),
      route('GET', `${single}/active`, (r) => this.with(r.params, (c) => json(shown(c, c.active)))),
      route('GET', `${single}/transporttype`, (r) => this.with(r.params, () => json('urn:x-nmos:transport:rtp'))),
      route('GET', `${single}/transportfile`, (r) =>
        this.with(r.params, (c) => {
          const sdp = c.kind === 'sender' ? this.host.sdpOf(c) : null;
          return sdp === null ? problem(404, 'No transport file') : { status: 200, text: sdp, type: 'application/sdp' };
        }),
      ),
      route('PATCH', `${single}/staged`, (r) => this.with(r.params, (c) => this.patch(c, r.body))),
      route('POST', `${API}/bulk/(senders|receivers)`, (r) => this.bulk(r.params[0] as string, r.body)),
    ];
  }

  stop(): void {
    for (const timer of this.timers.values()) clearTimeout(timer);
    this.timers.clear();
  }

  private all(kind: string | undefined): Connection[] {
    return [...this.host.connections().values()].filter((c) => `${c.kind}s` === kind);
  }

  private with([kind, id]: readonly string[], answer: (connection: Connection) => Response): Response {
    const found = this.host.connections().get(id as string);
    return found && `${found.kind}s` === kind ? answer(found) : problem(404, 'Not found');
  }

  private bulk(kind: string, body: unknown): Response {
    if (!Array.isArray(body)) return problem(400, 'the body is not a list');
    const results = body.map((item: unknown) => {
      const { id, params } = (item ?? {}) as { id?: unknown; params?: unknown };
      const found = typeof id === 'string' ? this.host.connections().get(id) : undefined;
      if (found === undefined || `${found.kind}s` !== kind)
        return { id: String(id), code: 404, error: 'Not found', debug: null };
      const { status, body: answer } = this.patch(found, params);
      const error = (answer as { error?: string } | undefined)?.error;
      return { id: found.id, code: status, ...(error === undefined ? {} : { error, debug: null }) };
    });
    return json(results);
  }

  private patch(connection: Connection, body: unknown): Response {
    if (typeof body !== 'object' || body === null || Array.isArray(body))
      return problem(400, 'the body is not an object');
    const change = body as Record<string, unknown>;
    const peerKey = connection.kind === 'sender' ? 'receiver_id' : 'sender_id';
    const allowed = [
      'master_enable',
      'activation',
      'transport_params',
      peerKey,
      ...(connection.kind === 'receiver' ? ['transport_file'] : []),
    ];
    const strange = Object.keys(change).find((k) => !allowed.includes(k));
    if (strange !== undefined) return problem(400, `${strange} is not a staged parameter`);
    const activation = change['activation'] as Partial<Activation> | undefined;
    const isCancel = activation?.mode === null && Object.keys(change).length === 1;
    if (this.timers.has(connection.id) && !isCancel) return problem(423, 'a scheduled activation is pending');
    const next = structuredClone(connection.staged);
    const wrong = this.merge(connection, next, change, peerKey);
    if (wrong !== null) return problem(400, wrong);
    if (activation !== undefined) {
      if (typeof activation !== 'object' || activation === null) return problem(400, 'activation is not an object');
      const refused = this.activate(connection, next, activation);
      if (refused !== null) return refused;
    }
    connection.staged = next;
    const isScheduled = next.activation.mode !== null && next.activation.mode !== 'activate_immediate';
    const answer = structuredClone(next);
    if (next.activation.mode === 'activate_immediate') this.apply(connection);
    else this.host.changed(connection, 'staged');
    return json(shown(connection, answer), isScheduled ? 202 : 200);
  }

  /** Merges a PATCH into the staged state; returns what is wrong with it, or null. */
  private merge(
    connection: Connection,
    next: ConnectionState,
    change: Record<string, unknown>,
    peerKey: string,
  ): string | null {
    const enable = change['master_enable'];
    if (enable !== undefined) {
      if (typeof enable !== 'boolean') return 'master_enable is not true or false';
      next.master_enable = enable;
    }
    const peer = change[peerKey];
    if (peer !== undefined) {
      if (peer !== null && (typeof peer !== 'string' || !UUID.test(peer))) return `${peerKey} is not an id`;
      next.peer = peer;
    }
    const file = change['transport_file'] as { data?: unknown; type?: unknown } | undefined;
    if (file !== undefined) {
      if (typeof file !== 'object' || file === null) return 'transport_file is not an object';
      if (file.data === undefined || file.type === undefined) return 'transport_file lacks data or type';
      if (file.data !== null && typeof file.data !== 'string') return 'transport_file.data is not text';
      if (file.data !== null && file.type !== 'application/sdp') return 'transport_file.type is not application/sdp';
      next.transport_file = { data: file.data, type: file.data === null ? null : 'application/sdp' };
      if (file.data !== null) {
        const { audio, problems } = readSdp(file.data);
        if (audio === null) return `transport_file: ${problems[0]?.problem ?? 'cannot be read'}`;
        audio.legs.slice(0, next.transport_params.length).forEach((leg, index) => {
          Object.assign(next.transport_params[index] as Params, {
            multicast_ip: isMulticast(parseAddress(leg.group) ?? 0) ? leg.group : null,
            source_ip: leg.sourceAddress,
            destination_port: leg.port,
            rtp_enabled: true,
          });
        });
      }
    }
    const params = change['transport_params'];
    if (params === undefined) return null;
    // IS-05: a client that names them names as many legs as the constraints have, an empty object where nothing changes.
    if (!Array.isArray(params) || params.length !== next.transport_params.length) {
      return `transport_params has not just ${next.transport_params.length} legs`;
    }
    const limits = constraintsOf(connection, this.host.legAddresses(), this.host.limits?.());
    for (const [index, leg] of (params as unknown[]).entries()) {
      const target = next.transport_params[index] as Params;
      if (typeof leg !== 'object' || leg === null || Array.isArray(leg))
        return `transport_params[${index}] is not an object`;
      for (const [key, value] of Object.entries(leg as Record<string, unknown>)) {
        const at = `transport_params[${index}].${key}`;
        if (!(key in target)) return `${at} is not a parameter of this ${connection.kind}`;
        if (value === 'auto') {
          if (!MAY_BE_AUTO[connection.kind].has(key)) return `${at} may not be auto`;
          // Resolved when it is activated: until then staged shows what was asked for.
          target[key] = value;
          continue;
        }
        const limit = limits[index]?.[key] ?? {};
        if (limit.enum && !limit.enum.includes(value)) return `${at} is not one of ${limit.enum.join(', ')}`;
        if (
          key.endsWith('_port') &&
          (!Number.isInteger(value) ||
            (value as number) < (limit.minimum ?? 0) ||
            (value as number) > (limit.maximum ?? 65535))
        ) {
          return `${at} is not a port from ${limit.minimum ?? 0} to ${limit.maximum ?? 65535}`;
        }
        if (key === 'rtp_enabled' && typeof value !== 'boolean') return `${at} is not true or false`;
        if (value === null && !MAY_BE_NULL[connection.kind].has(key)) return `${at} may not be null`;
        if (key.endsWith('_ip') && value !== null && (typeof value !== 'string' || parseAddress(value) === null))
          return `${at} is not an address`;
        if (key === 'multicast_ip' && value !== null && !isMulticast(parseAddress(value as string) as number))
          return `${at} is not a group`;
        target[key] = value as string | number | boolean | null;
      }
    }
    return null;
  }

  private activate(connection: Connection, next: ConnectionState, wanted: Partial<Activation>): Response | null {
    const { mode, requested_time: requested = null } = wanted;
    if (mode === undefined) return problem(400, 'activation.mode is missing');
    const strange = Object.keys(wanted).find((k) => !['mode', 'requested_time', 'activation_time'].includes(k));
    if (strange !== undefined) return problem(400, `activation.${strange} is not known`);
    clearTimeout(this.timers.get(connection.id));
    this.timers.delete(connection.id);
    if (mode === null) {
      next.activation = { ...IDLE };
      return null;
    }
    if (mode === 'activate_immediate') {
      next.activation = { mode, requested_time: null, activation_time: taiNow() };
      return null;
    }
    const time = parseTai(requested);
    if ((mode !== 'activate_scheduled_relative' && mode !== 'activate_scheduled_absolute') || time === null) {
      return problem(
        400,
        mode.startsWith('activate_')
          ? 'activation.requested_time is not <seconds>:<nanoseconds>'
          : 'activation.mode is not known',
      );
    }
    const now = parseTai(taiNow()) as bigint;
    const at = mode === 'activate_scheduled_relative' ? now + time : time;
    next.activation = { mode, requested_time: requested, activation_time: formatTai(at) };
    this.timers.set(
      connection.id,
      setTimeout(
        () => {
          this.timers.delete(connection.id);
          this.apply(connection);
        },
        Math.max(0, msUntilTai(at) + (this.host.lagMs?.() ?? 0)),
      ),
    );
    return null;
  }

  /** Staged becomes active; the activation is then cleared from staged and stays in active. */
  private apply(connection: Connection): void {
    connection.active = structuredClone(connection.staged);
    // When it was done, which may be later than it was to be.
    connection.active.activation.activation_time = taiNow();
    // What was left to the device is resolved now: active never shows `auto`.
    const own = this.host.legAddresses();
    connection.active.transport_params.forEach((leg, index) => {
      for (const [key, value] of Object.entries(leg)) {
        if (value !== 'auto') continue;
        if (key.endsWith('_port')) leg[key] = AUTO_PORT;
        else if (key === 'destination_ip') leg[key] = AUTO_GROUP;
        else leg[key] = key === 'multicast_ip' ? null : (own[index] ?? null);
      }
    });
    connection.staged.activation = { ...IDLE };
    this.host.changed(connection, 'active');
  }
}
