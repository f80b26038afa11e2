import { CATALOGUE } from '../core/models/catalogue';
import type { Model } from '../core/models/models-table';
import { proposeClocks } from '../core/clocks/propose';
import { fileOfPlan, planFileOf, planOfFile, type PlanFile } from '../core/formats/plan-file';
import { topologyOf } from '../core/network/topology';
import { applyCommands } from '../core/plan/apply-commands';
import { DEFAULT_SETTINGS } from '../core/plan/settings-table';
import { PLAIN_DEVICE, type Device } from '../core/plan/devices-table';
import { PLAIN_LINK, type Link } from '../core/network/links-table';
import { PLAIN_SUBNET, type Subnet } from '../core/network/subnets-table';
import type { Interface } from '../core/network/interfaces-table';
import type { Place } from '../core/plan/places-table';
import type { Subscription } from '../core/plan/subscriptions-table';
import type { BusSend } from '../core/patch/bus-sends-table';
import type { Patch } from '../core/patch/patches-table';
import { reckon } from '../core/reckon/reckon';
import { nodeIn } from '../core/signal/device-part';
import { isSource, PLAIN_PLUGGED, type PluggedIn } from '../core/signal/plugged-in-table';
import { seededRandom } from './random';

interface GenerateOptions {
  readonly devices: number;
  readonly seed: number;
  /** About how many channel subscriptions; at most what the receivers have channels for. */
  readonly subscriptions?: number;
  /** Channels that are taken from one sender in a run, and so the width of its streams; 8 where not given. */
  readonly runLength?: number;
}

/** How often each model comes up, by weight; switches are added as they are needed. */
const MIX: readonly (readonly [modelId: string, weight: number])[] = [
  ['amp-8', 26],
  ['endpoint-2', 14],
  ['stage-box-24', 12],
  ['processor-64', 10],
  ['wireless-4', 8],
  ['converter-64', 10],
  ['recorder-96', 8],
  ['renderer-48', 6],
  ['console-72', 4],
  ['player-48', 2],
];
/** For plans with more subscriptions than the receivers of the usual mix have channels: only boxes with many. */
const LARGE_MIX: typeof MIX = [
  ['recorder-96', 24],
  ['console-72', 16],
  ['processor-64', 30],
  ['converter-64', 20],
  ['renderer-48', 10],
];
/** Models that give out what they take in. */
const LEADS_ON: ReadonlySet<string> = new Set(['processor-64', 'renderer-48']);
/** Models whose network channels all come from sockets, radio, players or tracks of their own. */
const BEGINS: ReadonlySet<string> = new Set(['stage-box-24', 'wireless-4', 'player-48', 'recorder-96']);
/** About what a device of the usual mix hears. */
const USUAL_CHANNELS = 22;
const DEVICES_PER_ROOM = 18;
const ROOMS_PER_HALL = 10;

/**
 * A made-up plan of any size, the same for the same seed: halls with rooms, one edge switch per room and leg, one core per
 * leg, one subnet per hall and leg, joined by the cores. Receivers hear runs of channels, mostly from their own hall.
 */
export function generatePlan(options: GenerateOptions): PlanFile {
  const random = seededRandom(options.seed);
  const models = new Map<string, Model>(CATALOGUE.map((m) => [m.id, m]));
  const modelOf = (id: string) => models.get(id) as Model;
  const places: Place[] = [];
  const subnets: Subnet[] = [];
  const devices: Device[] = [];
  const interfaces: Interface[] = [];
  const links: Link[] = [];

  const addDevice = (id: string, name: string, modelId: string, placeId: string | null): Device => {
    const device: Device = {
      ...PLAIN_DEVICE,
      id,
      name,
      modelId,
      placeId,
      rateHz: 48_000,
      serial: `G${options.seed}-${devices.length + 1}`,
    };
    devices.push(device);
    return device;
  };

  const switchCount = (ends: number) => {
    const rooms = Math.ceil(ends / DEVICES_PER_ROOM);
    return rooms * 2 + 2;
  };
  let ends = options.devices;
  while (ends + switchCount(ends) > options.devices && ends > 1) ends -= 1;
  const rooms = Math.max(1, Math.ceil(ends / DEVICES_PER_ROOM));
  const halls = Math.max(1, Math.ceil(rooms / ROOMS_PER_HALL));
  const coreModel: Model = {
    ...modelOf('core-switch-24'),
    id: 'core-switch',
    name: 'Core switch, routing',
    ports: Array.from({ length: Math.max(24, rooms) }, (_, n) => ({
      name: `Port ${n + 1}`,
      role: 'switched' as const,
      bitsPerSecond: 10_000_000_000,
    })),
  };
  models.set(coreModel.id, coreModel);

  for (const leg of ['A', 'B'] as const) addDevice(`core-${leg.toLowerCase()}`, `Core ${leg}`, coreModel.id, null);
  for (let hall = 1; hall <= halls; hall += 1) {
    places.push({ id: `hall-${hall}`, name: `Hall ${hall}`, parentId: null });
    for (const [index, leg] of (['A', 'B'] as const).entries()) {
      const id = `hall-${hall}-${leg.toLowerCase()}`;
      const net = `10.${101 + index * 10}.${(hall - 1) * 4}`;
      subnets.push({
        id,
        name: `Hall ${hall} ${leg}`,
        cidr: `${net}.0/22`,
        vlan: 100 + index * 100 + hall,
        role: leg,
        ...PLAIN_SUBNET,
        gateway: `${net}.1`,
        querierIds: [`core-${leg.toLowerCase()}`],
      });
      interfaces.push({
        deviceId: `core-${leg.toLowerCase()}`,
        name: `routed:${id}`,
        subnetId: id,
        address: `${net}.1`,
      });
    }
  }

  const mix = (options.subscriptions ?? 0) > USUAL_CHANNELS * options.devices ? LARGE_MIX : MIX;
  const weightSum = mix.reduce((sum, [, weight]) => sum + weight, 0);
  const draw = (): string => {
    let at = random() * weightSum;
    for (const [id, weight] of mix) if ((at -= weight) < 0) return id;
    return 'amp-8';
  };
  const hallOfDevice = new Map<string, number>();
  let made = 0;
  for (let room = 1; room <= rooms; room += 1) {
    const hall = Math.ceil(room / ROOMS_PER_HALL);
    const placeId = `room-${room}`;
    places.push({ id: placeId, name: `Room ${room}`, parentId: `hall-${hall}` });
    for (const leg of ['A', 'B'] as const) {
      const low = leg.toLowerCase();
      addDevice(
        `edge-${low}-${room}`,
        `Edge ${leg} ${room}`,
        leg === 'A' ? 'edge-switch-24p' : 'edge-switch-24',
        placeId,
      );
      links.push({
        id: `up-${low}-${room}`,
        from: { deviceId: `edge-${low}-${room}`, port: 'Uplink 1' },
        to: { deviceId: `core-${low}`, port: `Port ${room}` },
        bitsPerSecond: 10_000_000_000,
        metres: 40 + Math.floor(random() * 200),
        ...PLAIN_LINK,
        cable: 'single-mode',
      });
    }
    for (let n = 1; n <= DEVICES_PER_ROOM && made < ends; n += 1) {
      made += 1;
      const modelId = made === 1 ? 'console-72' : made === 2 ? 'amp-8' : draw();
      const model = modelOf(modelId);
      const device = addDevice(`dev-${made}`, `${model.name} ${made}`, modelId, placeId);
      hallOfDevice.set(device.id, hall);
      for (const [index, leg] of (['A', 'B'] as const).entries()) {
        const port = model.ports.find((p) => p.role === leg);
        if (port === undefined) continue;
        const low = leg.toLowerCase();
        const host = ((room - 1) % ROOMS_PER_HALL) * DEVICES_PER_ROOM + n + 9;
        const address = `10.${101 + index * 10}.${(hall - 1) * 4 + (host >> 8)}.${host & 255}`;
        interfaces.push({ deviceId: device.id, name: leg, subnetId: `hall-${hall}-${low}`, address });
        links.push({
          id: `drop-${low}-${made}`,
          from: { deviceId: device.id, port: port.name },
          to: { deviceId: `edge-${low}-${room}`, port: `Port ${n}` },
          bitsPerSecond: port.bitsPerSecond,
          metres: 5 + Math.floor(random() * 60),
          ...PLAIN_LINK,
          cable: 'cat6',
        });
      }
    }
  }

  const used = [...new Set(devices.map((d) => d.modelId))];
  const subscriptions = subscriptionsFor(devices, models, hallOfDevice, options, random);
  const file = planFileOf({
    settings: { ...DEFAULT_SETTINGS, name: `Generated, ${options.devices} devices, seed ${options.seed}` },
    places,
    models: used.map(modelOf),
    subnets,
    devices,
    links,
    interfaces,
    subscriptions,
    pluggedIn: devices.flatMap((device) => pluggedInto(device, modelOf(device.modelId))),
    patches: convertersPatched(devices, subscriptions),
    busSends: sendsOf(devices, subscriptions),
  });
  return { ...file, pluggedIn: heardOf(file), ...proposedClocks(file) };
}

/**
 * Blocks of up to eight channels, from senders that have not used up their streams: a block is a stream, so the budgets of
 * both ends hold. Blocks of one sender are shared by several receivers, as announcement and programme channels are.
 */
function subscriptionsFor(
  devices: readonly Device[],
  models: ReadonlyMap<string, Model>,
  hallOfDevice: ReadonlyMap<string, number>,
  options: GenerateOptions,
  random: () => number,
): Subscription[] {
  const ends = devices.filter((d) => hallOfDevice.has(d.id));
  const model = (d: Device) => models.get(d.modelId) as Model;
  const isSlow = (d: Device) => d.modelId === 'endpoint-2';
  const order = new Map(ends.map((d, n) => [d.id, n]));
  const isBefore = (a: Device, b: Device) => (order.get(a.id) as number) < (order.get(b.id) as number);
  const senders = ends.filter((d) => model(d).channelsSend >= 4 && !isSlow(d));
  const byHall = new Map<number, Device[]>();
  for (const d of senders) {
    const hall = hallOfDevice.get(d.id) as number;
    byHall.set(hall, [...(byHall.get(hall) ?? []), d]);
  }
  const wanted = options.subscriptions ?? Infinity;
  const subscriptions: Subscription[] = [];
  const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T;
  for (const receiver of ends) {
    const { channelsReceive, streamsReceive, channelPool } = model(receiver);
    const room = channelPool === null ? channelsReceive : Math.max(0, Math.min(channelsReceive, channelPool - 64));
    const blockSize = isSlow(receiver) ? 2 : (options.runLength ?? 8);
    const near = byHall.get(hallOfDevice.get(receiver.id) as number) ?? senders;
    for (let start = 0, blocks = 0; start < room && blocks < (streamsReceive ?? 0); start += blockSize, blocks += 1) {
      if (subscriptions.length >= wanted || senders.length === 0) return subscriptions;
      let sender = random() < 0.85 ? pick(near) : pick(senders);
      // What leads sound on hears only what comes before it of its like, so that nothing hears itself.
      if (LEADS_ON.has(receiver.modelId) && LEADS_ON.has(sender.modelId) && !isBefore(sender, receiver)) {
        const others = near.filter((d) => !LEADS_ON.has(d.modelId));
        if (others.length === 0) continue;
        sender = pick(others);
      }
      if (sender.id === receiver.id) continue;
      const sends = model(sender).channelsSend;
      const senderBlocks = Math.min(Math.floor(sends / blockSize) || 1, (model(sender).streamsSend ?? 0) - 1);
      const first = isSlow(receiver) ? 1 : Math.floor(random() * senderBlocks) * blockSize + 1;
      for (let k = 0; k < blockSize && start + k < room && first + k <= sends; k += 1) {
        subscriptions.push({
          receiverDeviceId: receiver.id,
          receiverChannel: start + k + 1,
          senderDeviceId: sender.id,
          senderChannel: first + k,
        });
      }
    }
  }
  return subscriptions;
}

/** What stands in every socket of a terminal of these models. */
const PLUGGED: Readonly<Record<string, readonly [terminalId: string, kind: PluggedIn['kind'], name: string]>> = {
  'stage-box-24': ['mic-in', 'microphone', 'Microphone'],
  'wireless-4': ['radio', 'radio-pack', 'Pack'],
  'amp-8': ['speaker-out', 'loudspeaker', 'Loudspeaker'],
  'endpoint-2': ['speaker-out', 'loudspeaker', 'Loudspeaker'],
  'converter-64': ['aes3-in', 'line-source', 'Line'],
};

function pluggedInto({ id, modelId }: Device, { terminals }: Model): PluggedIn[] {
  const [terminalId = '', kind = 'microphone', name = ''] = PLUGGED[modelId] ?? [];
  const { channels = 0 } = terminals.find((t) => t.id === terminalId) ?? {};
  return Array.from({ length: channels }, (_, n) => ({
    ...PLAIN_PLUGGED,
    deviceId: id,
    terminalId,
    channel: n + 1,
    name: `${name} ${n + 1}`,
    kind,
    powering: isSource(kind) ? 'own' : 'none',
  }));
}

/** What is received of a converter comes from its AES3 inputs, as long as nobody cables its MADI. */
function convertersPatched(devices: readonly Device[], subscriptions: readonly Subscription[]): Patch[] {
  const isConverter = new Set(devices.filter((d) => d.modelId === 'converter-64').map((d) => d.id));
  const patches = new Map<string, Patch>();
  for (const { senderDeviceId: deviceId, senderChannel: channel } of subscriptions) {
    if (!isConverter.has(deviceId)) continue;
    const from = { terminalId: 'aes3-in', channel: ((channel - 1) % 8) + 1 };
    patches.set(`${deviceId} ${channel}`, { deviceId, terminalId: 'network-out', channel, from, tap: null });
  }
  return [...patches.values()];
}

/** Without the sources that nobody hears. */
function heardOf(file: PlanFile): readonly PluggedIn[] {
  const plan = planOfFile(file);
  const { signal, signalFlow } = reckon(plan);
  const isReceived = ({ deviceId, ...p }: PluggedIn) => {
    const part = signal.parts.get(deviceId);
    return (
      part !== undefined && signalFlow.byDevice.get(deviceId)?.isReceived[nodeIn(part, p.terminalId, p.channel)] === 1
    );
  };
  return file.pluggedIn.filter((p) => !isSource(p.kind) || isReceived(p));
}

/** Every bus of a console mixes two strips that hear the beginning of a sound, so that all that it sends is fed and nothing hears itself. */
function sendsOf(devices: readonly Device[], subscriptions: readonly Subscription[]): BusSend[] {
  const modelById = new Map(devices.map((d) => [d.id, d.modelId]));
  const stripsByConsole = new Map<string, number[]>();
  const heard = new Set<string>();
  for (const { receiverDeviceId, receiverChannel, senderDeviceId, senderChannel } of subscriptions) {
    if (modelById.get(receiverDeviceId) !== 'console-72' || !BEGINS.has(modelById.get(senderDeviceId) ?? '')) continue;
    const sound = `${receiverDeviceId} ${senderDeviceId} ${senderChannel}`;
    if (heard.has(sound)) continue;
    heard.add(sound);
    const known = stripsByConsole.get(receiverDeviceId);
    if (known === undefined) stripsByConsole.set(receiverDeviceId, [receiverChannel]);
    else known.push(receiverChannel);
  }
  const sends: BusSend[] = [];
  for (const [deviceId, strips] of stripsByConsole) {
    for (let bus = 1; bus <= 72; bus += 1) {
      for (const fromChannel of new Set([strips[bus % strips.length], strips[(bus + 1) % strips.length]])) {
        const ends = {
          terminalId: 'buses',
          channel: bus,
          fromTerminalId: 'strips',
          fromChannel: fromChannel as number,
        };
        sends.push({ deviceId, ...ends, tap: null, isOn: true, levelDb: null });
      }
    }
  }
  return sends;
}

/** The clock plan that the product proposes for it. */
function proposedClocks(file: PlanFile): Pick<PlanFile, 'clocks' | 'clockGroups'> {
  const plan = planOfFile(file);
  const applied = applyCommands(plan, proposeClocks(plan, topologyOf(plan)).commands);
  if (!applied.ok) throw new Error(JSON.stringify(applied.problem));
  const { clocks, clockGroups } = fileOfPlan(applied.plan);
  return { clocks, clockGroups };
}
