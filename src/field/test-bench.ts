import { fileOfPlan } from '../core/formats/plan-file';
import { PLAIN_SUBNET } from '../core/network/subnets-table';
import type { Model } from '../core/models/models-table';
import type { Command } from '../core/plan/commands';
import type { Plan } from '../core/plan/plan';
import { apply, modelNamed, planOf } from '../core/plan/test-plan';
import { reckon } from '../core/reckon/reckon';
// The stand-ins are what the field is tried on; the product itself never imports them.
import { fleetOfPlan, type StandinSpec } from '../standins/fleet';
import { StandinNode } from '../standins/node';
import { Registry } from '../registry/registry';
import { bindDevices, parseTranslation } from './binding';
import type { FieldNode } from './field-resources';
import { FieldFollower } from './follower';
import { lanesInField, type LaneState } from './lane-state';
import { planSend, type ChannelRef } from './send-plan';
import { endsToBe, send } from './send';
import type { Moment } from './moment';
import { NO_HOOKS, type SendHooks, type SendReport } from './send-report';

export const BENCH_MODELS = {
  box: modelNamed('stage-box-24'),
  amp: modelNamed('amp-8'),
  /** As wide as the largest console, with no more streams than are needed: each is registered and read again for every test. */
  far: { ...modelNamed('console-72'), streamsReceive: 4, streamsSend: 10 },
};
type BenchModels = Readonly<Record<keyof typeof BENCH_MODELS, Model>>;
const { box, amp, far } = BENCH_MODELS;
/** Senders and receivers of all three devices. */
export const READINGS = [box, amp, far].reduce((sum, m) => sum + (m.streamsReceive ?? 0) + (m.streamsSend ?? 0), 0);
export const translation = parseTranslation('10.=127.');

export function startPlan({ box, amp, far }: BenchModels = BENCH_MODELS): Plan {
  let plan = planOf({
    box: [box, { serial: 'B-1' }],
    amp: [amp, { serial: 'P-1' }],
    far: [far, { serial: 'C-1' }],
  });
  plan = apply(plan, {
    kind: 'put-subnet',
    subnet: { id: 'a', name: 'Leg A', cidr: '10.99.8.0/24', vlan: null, role: 'A', ...PLAIN_SUBNET },
  });
  // The box has a second leg that nobody receives: it is sent all the same, as switched off.
  plan = apply(
    plan,
    {
      kind: 'put-subnet',
      subnet: { id: 'b', name: 'Leg B', cidr: '10.99.9.0/24', vlan: null, role: 'B', ...PLAIN_SUBNET },
    },
    { kind: 'put-interface', interface: { deviceId: 'box', name: 'B', subnetId: 'b', address: '10.99.9.11' } },
  );
  for (const [n, id] of ['box', 'amp', 'far'].entries()) {
    plan = apply(plan, {
      kind: 'put-interface',
      interface: { deviceId: id, name: 'A', subnetId: 'a', address: `10.99.8.${n + 11}` },
    });
  }
  return plan;
}

export async function until(check: () => boolean, ms = 30_000): Promise<void> {
  const end = Date.now() + ms;
  while (!check()) {
    if (Date.now() > end) throw new Error('did not happen in time');
    await new Promise((resolve) => setTimeout(resolve, 20));
  }
}

interface BenchNetwork {
  readonly registry: { readonly address: string; readonly port: number; readonly expiryMs: number };
  readonly devicePort: number;
}

/** A stage box, an amplifier and a console as stand-ins with a registry, a follower, and the plan that is sent to them. */
export class FieldBench {
  registry: Registry;
  readonly nodes: Map<string, StandinNode>;
  readonly follower: FieldFollower;
  plan: Plan;
  readonly registryUrl: string;

  constructor(
    { registry, devicePort }: BenchNetwork,
    private readonly models: BenchModels = BENCH_MODELS,
    /** What a stand-in is otherwise than the plan has it. */
    otherwise: (spec: StandinSpec) => Partial<StandinSpec> = () => ({}),
  ) {
    this.plan = startPlan(models);
    const registryUrl = `http://${registry.address}:${registry.port}`;
    this.registryUrl = registryUrl;
    this.registry = new Registry(registry);
    this.nodes = new Map(
      fleetOfPlan(fileOfPlan(this.plan)).map((spec) => [
        spec.id,
        new StandinNode(
          { ...spec, ...otherwise(spec) },
          { port: devicePort, registryUrl, heartbeatMs: 300, remember: () => {} },
          undefined,
        ),
      ]),
    );
    this.follower = new FieldFollower(registryUrl, () => {});
  }

  start(): Promise<void> {
    return this.startReading(READINGS);
  }

  /** @param readings senders and receivers of all three devices */
  async startReading(readings: number): Promise<void> {
    await this.registry.start();
    await Promise.all([...this.nodes.values()].map((n) => n.plug()));
    this.follower.start();
    // Everything has been read.
    const { follower } = this;
    const maps = Object.values(this.models).filter((m) => m.sendOrder === null && m.receiveOrder === null).length;
    await until(() => follower.snapshot().readings.size === readings && follower.snapshot().channelMaps.size === maps);
  }

  async stop(): Promise<void> {
    this.follower.stop();
    await Promise.all([...this.nodes.values()].map((n) => n.unplug()));
    await this.registry.stop();
  }

  /** What the follower has of the node that a device is bound to. */
  nodeOf(deviceId: string): FieldNode {
    return this.bindings().nodeByDevice.get(deviceId)!;
  }

  /** Registers a resource otherwise than it is, as its node itself would. */
  async registered(type: 'device' | 'sender' | 'flow', id: string, change: object): Promise<void> {
    const own = (await (await fetch(`${this.registryUrl}/x-nmos/query/v1.3/${type}s/${id}`)).json()) as object;
    const answer = await fetch(`${this.registryUrl}/x-nmos/registration/v1.3/resource`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify({ type, data: { ...own, ...change, version: '9999999999:0' } }),
    });
    if (!answer.ok) throw new Error(`not registered: ${answer.status}`);
  }

  bindings() {
    return bindDevices(this.plan, this.follower.snapshot(), translation);
  }

  stateOf(deviceId: string, channel: number): LaneState | undefined {
    const { lanes } = lanesInField(deviceId, reckon(this.plan), this.follower.snapshot(), this.bindings());
    return lanes.get(channel)?.state;
  }

  edit(...commands: Command[]): void {
    this.plan = apply(this.plan, ...commands);
  }

  sendAll(deviceId: string, channels: number[], start = true, hooks: SendHooks = NO_HOOKS): Promise<SendReport> {
    return this.send(
      channels.map((channel) => ({ deviceId, channel })),
      start,
      hooks,
    );
  }

  async send(
    channels: readonly ChannelRef[],
    start = true,
    hooks: SendHooks = NO_HOOKS,
    at?: Moment,
  ): Promise<SendReport> {
    const reckoning = reckon(this.plan);
    const work = planSend(channels, reckoning, this.follower.snapshot(), this.bindings());
    const ends = endsToBe(work, this.plan, this.bindings());
    this.edit({ kind: 'keep-sent-streams', put: [], drop: [], ends });
    const report = await send(
      work,
      reckoning,
      this.follower,
      this.bindings(),
      { start, ...(at === undefined ? {} : { at }) },
      undefined,
      hooks,
    );
    this.edit({ kind: 'keep-sent-streams', put: report.put, drop: report.drop });
    return report;
  }

  /** Which sender channel of which device really sounds at a receiver channel now, through maps and streams of the devices; null: silence. */
  soundingFrom(deviceId: string, channel: number): { readonly deviceId: string; readonly channel: number } | null {
    const { map, connections } = this.nodes.get(deviceId)!.memory();
    const fed = map['receives']?.[String(channel - 1)];
    const streamNumber = Number(/^stream-in-(\d+)$/.exec(fed?.input ?? '')?.[1] ?? 0);
    const reception = connections.filter((c) => c.kind === 'receiver')[streamNumber - 1]?.active;
    if (reception?.master_enable !== true || fed?.channel_index == null) return null;
    const group = reception.transport_params[0]?.['multicast_ip'];
    for (const [senderId, node] of this.nodes) {
      const sender = node.memory();
      const senders = sender.connections.filter((c) => c.kind === 'sender');
      const n = senders.findIndex(
        (c) => c.active.master_enable && c.active.transport_params[0]?.['destination_ip'] === group,
      );
      const sent = n < 0 ? null : sender.map[`stream-out-${n + 1}`]?.[String(fed.channel_index)];
      if (sent?.channel_index != null) return { deviceId: senderId, channel: sent.channel_index + 1 };
    }
    return null;
  }

  /** As `soundingFrom`, for channels of the stage box. */
  sounding(deviceId: string, channel: number): number | null {
    const from = this.soundingFrom(deviceId, channel);
    return from?.deviceId === 'box' ? from.channel : null;
  }
}

/** Lays a stream of the stage box out. */
export const layout = (streamNumber: number, channels: number[]): Command => ({
  kind: 'lay-out-streams',
  put: [
    {
      ...{ senderDeviceId: 'box', streamNumber, channels, isHeld: false },
      format: { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 },
    },
  ],
  drop: [],
});

/** Call once in a describe: every test has a bench of its own, which this asks. */
export function benchForEach(network: BenchNetwork) {
  let bench: FieldBench;
  beforeEach(async () => {
    bench = new FieldBench(network);
    await bench.start();
  });
  afterEach(() => bench.stop());
  return {
    bench: () => bench,
    bindings: () => bench.bindings(),
    stateOf: (deviceId: string, channel: number) => bench.stateOf(deviceId, channel),
    sounding: (deviceId: string, channel: number) => bench.sounding(deviceId, channel),
    edit: (...commands: Command[]) => bench.edit(...commands),
    sendAll: (...send: Parameters<FieldBench['sendAll']>) => bench.sendAll(...send),
  };
}
