import { plannedClock } from '../core/clocks/clock-settings';
import { proposeClocks } from '../core/clocks/propose';
import { topologyOf } from '../core/network/topology';
import { CATALOGUE } from '../core/models/catalogue';
import type { Model } from '../core/models/models-table';
import { planFileOf, planOfFile, type PlanFile } from '../core/formats/plan-file';
import { applyCommands } from '../core/plan/apply-commands';
import type { Command } from '../core/plan/commands';
import { DEFAULT_SETTINGS } from '../core/plan/settings-table';
import type { Plan } from '../core/plan/plan';
import { PLAIN_DEVICE, type Device } from '../core/plan/devices-table';
import { PLAIN_LINK, type Link } from '../core/network/links-table';
import type { ChannelLabel } from '../core/plan/labels-table';
import type { ClockGroup } from '../core/clocks/clock-groups-table';
import type { ClockSettings } from '../core/clocks/clocks-table';
import type { Interface } from '../core/network/interfaces-table';
import type { Place } from '../core/plan/places-table';
import type { Reference } from '../core/clocks/references-table';
import type { SlotBus } from '../core/slots/slot-buses-table';
import type { SlotUnit } from '../core/slots/slot-units-table';
import type { Subscription } from '../core/plan/subscriptions-table';
import type { RateHz } from '../core/streams/format';
import {
  AUDIO_CABLES,
  BUS_SENDS,
  CHANNEL_SETTINGS,
  COHERENCE_GROUPS,
  PATCHES,
  PLUGGED_IN,
  SUBSTITUTIONS,
} from './skerry-signals';
import { SIDES_OF_SITE, SWITCHES, UPLINKS, ON_A, ON_B, ROUTED, SUBNETS } from './skerry-network';
import { range, LABELS, RUNS, GROUPS_BY_HAND } from './skerry-lanes';

/**
 * Skerry Point, a made-up tidal-science harbour: the plan that `npm run demo` opens with. Everything in it is invented.
 * Faults are planted, each marked PLANTED, here and in the files beside; the rest of the plan is clean.
 */

const PLACES: Place[] = [
  { id: 'control-loft', name: 'Control Loft', parentId: null },
  { id: 'dome', name: 'Dome', parentId: null },
  { id: 'wave-hall', name: 'Wave Hall', parentId: null },
  { id: 'sound-lab', name: 'Sound Lab', parentId: null },
  { id: 'tide-gallery', name: 'Tide Gallery', parentId: null },
  { id: 'lantern-yard', name: 'Lantern Yard', parentId: null },
  { id: 'north-rack', name: 'North Rack', parentId: null },
  { id: 'south-rack', name: 'South Rack', parentId: null },
  { id: 'pier-rack', name: 'Pier Rack', parentId: null },
  { id: 'pier', name: 'Pier', parentId: null },
];

/** A chain from before the network came: 96 slots in blocks of four. */
const CHAIN: SlotBus = { id: 'quay-chain', name: 'Quay chain', shape: 'chain' };

const CHAIN_UNITS: readonly (readonly [
  id: string,
  name: string,
  model: string,
  place: string,
  talks: readonly number[],
  hears: readonly number[],
])[] = [
  ['quay-bell-unit', 'Quay bell unit', 'slot-unit-4', 'pier', [1], [3]],
  ['yard-stage-unit', 'Yard stage unit', 'slot-unit-in-8', 'lantern-yard', [2, 3], []],
  // PLANTED: it talks on the block that the Yard stage unit has.
  ['gallery-loop-unit', 'Gallery loop unit', 'slot-unit-4', 'tide-gallery', [2], [1]],
];

interface Row {
  readonly id: string;
  readonly name: string;
  readonly model: string;
  readonly place: string;
  readonly side: keyof typeof SIDES_OF_SITE;
  /** Last octet on both legs. */
  readonly host: number;
  readonly edgeA: string;
  readonly edgeB?: string;
  readonly rateHz?: RateHz;
  readonly notes?: string;
}

const row = (
  id: string,
  name: string,
  model: string,
  place: string,
  side: Row['side'],
  host: number,
  edgeA: string,
  edgeB?: string,
): Row => ({
  id,
  name,
  model,
  place,
  side,
  host,
  edgeA,
  ...(edgeB === undefined ? {} : { edgeB }),
});

const DEVICES: Row[] = [
  row('loft-console', 'Loft console', 'console-72', 'control-loft', 'north', 11, 'loft-edge-a', 'loft-edge-b'),
  row('show-player', 'Show player', 'player-48', 'control-loft', 'north', 12, 'loft-edge-a', 'loft-edge-b'),
  row(
    'archive-recorder',
    'Archive recorder',
    'recorder-96-blocks',
    'control-loft',
    'north',
    13,
    'loft-edge-a',
    'loft-edge-b',
  ),
  row('north-processor', 'North processing unit', 'processor-64', 'north-rack', 'north', 21, 'core-a', 'core-b'),
  row(
    'south-processor',
    'South processing unit',
    'processor-64',
    'south-rack',
    'south',
    21,
    'south-edge-a',
    'south-edge-b',
  ),
  row('tank-reverb', 'Tank reverberation', 'reverb-16', 'north-rack', 'north', 22, 'core-a'),
  row('rack-converter', 'Rack converter', 'converter-64', 'north-rack', 'north', 23, 'core-a', 'core-b'),
  row('optical-expander', 'Optical expander', 'expander-8', 'north-rack', 'north', 24, 'core-a'),
  row('picture-embedder', 'Picture embedder', 'embedder-16', 'north-rack', 'north', 25, 'core-a'),
  row('north-master', 'North master', 'master-clock', 'north-rack', 'north', 5, 'core-a', 'core-b'),
  row('south-master', 'South master', 'master-clock', 'south-rack', 'south', 5, 'south-edge-a', 'south-edge-b'),
  row('dome-renderer', 'Dome renderer', 'renderer-48', 'dome', 'south', 30, 'south-edge-a', 'south-edge-b'),
  ...range(6).map((n) =>
    row(`dome-amp-${n}`, `Dome amp ${n}`, 'amp-8', 'dome', 'south', 30 + n, 'south-edge-a', 'south-edge-b'),
  ),
  ...range(2).map((n) =>
    row(`wave-amp-${n}`, `Wave amp ${n}`, 'amp-8', 'wave-hall', 'north', 40 + n, 'wave-edge-a', 'loft-edge-b'),
  ),
  // PLANTED: both legs of the stage box run through one switch, which has an uplink to each core.
  row('wave-stage-box', 'Wave stage box', 'stage-box-24', 'wave-hall', 'north', 45, 'wave-edge-a', 'wave-edge-a'),
  ...range(3).map((n) =>
    row(`wave-wireless-${n}`, `Wave wireless ${n}`, 'wireless-4', 'wave-hall', 'north', 50 + n, 'wave-edge-a'),
  ),
  row('tank-mixer', 'Tank personal mixer', 'personal-mixer-16', 'wave-hall', 'north', 54, 'wave-edge-a'),
  {
    ...row('lab-stage-box', 'Hydrophone box', 'stage-box-24', 'sound-lab', 'south', 60, 'south-edge-a', 'south-edge-b'),
    rateHz: 96_000,
  },
  { ...row('lab-recorder', 'Lab recorder', 'recorder-16', 'sound-lab', 'south', 61, 'south-edge-a'), rateHz: 96_000 },
  // PLANTED: fourteen times class 2 is more than the gallery's switch can supply.
  ...range(14).map((n) =>
    row(
      `exhibit-${n}`,
      `Exhibit ${String(n).padStart(2, '0')}`,
      'endpoint-2',
      'tide-gallery',
      'north',
      100 + n,
      'gallery-edge-a',
    ),
  ),
  { ...row('boat-rack', 'Boat rack', 'madi-rack-28', 'lantern-yard', 'pier', 21, 'pier-edge-a'), rateHz: 44_100 },
  row('yard-converter', 'Yard converter', 'converter-32', 'lantern-yard', 'pier', 20, 'pier-edge-a'),
  ...range(5).map((n) => row(`intercom-${n}`, `Intercom ${n}`, 'intercom-1', 'pier', 'pier', 30 + n, 'pier-edge-a')),
];

const REFERENCES: Reference[] = [
  {
    id: 'gnss-north',
    name: 'GNSS on the north roof',
    kind: 'gnss',
    fromDeviceId: null,
    rateHz: null,
    isFed: true,
    offsetNs: 0,
  },
  {
    id: 'house-video',
    name: 'House black burst',
    kind: 'black-burst',
    fromDeviceId: 'north-master',
    rateHz: null,
    isFed: true,
    offsetNs: 0,
  },
  {
    id: 'boat-word-clock',
    name: 'Boat word clock',
    kind: 'word-clock',
    fromDeviceId: null,
    rateHz: 44_100,
    isFed: true,
    offsetNs: 0,
  },
];

const CLOCK_GROUPS: ClockGroup[] = [
  { id: 'house', name: 'House', rateHz: 48_000, authority: { kind: 'device', id: 'loft-console' } },
  { id: 'lab', name: 'Sound Lab', rateHz: 96_000, authority: { kind: 'device', id: 'lab-stage-box' } },
  { id: 'boat', name: 'Show boat', rateHz: 44_100, authority: { kind: 'reference', id: 'boat-word-clock' } },
];

/** How single devices are set before the clock plan is proposed, and after. */
const CLOCKS_BEFORE: readonly (readonly [deviceId: string, Partial<ClockSettings>])[] = [
  ['north-master', { mediaClock: 'references', referenceIds: ['gnss-north'] }],
  ['yard-converter', { secondGroupId: 'boat' }],
];

const CLOCKS_AFTER: readonly (readonly [deviceId: string, Partial<ClockSettings>])[] = [
  ['picture-embedder', { mediaClock: 'references', referenceIds: ['house-video'] }],
  // PLANTED: nothing but the north core passes time into the pier's subnet.
  ['yard-converter', { relay: 'none', unicastMasterIds: [], clientOnly: true, priority1: 255, priority2: 255 }],
];

/** The clock plan that the product itself proposes, applied, with what was planted in it. */
function clocksOfSkerryPoint(file: PlanFile): Pick<PlanFile, 'clocks'> {
  const done = (plan: Plan, commands: readonly Command[]): Plan => {
    const result = applyCommands(plan, commands);
    if (!result.ok) throw new Error(JSON.stringify(result.problem));
    return result.plan;
  };
  const set = (plan: Plan, list: typeof CLOCKS_BEFORE) =>
    list.reduce((now, [deviceId, change]) => {
      const settings = plannedClock(now, deviceId)?.settings;
      return settings === undefined ? now : done(now, [{ kind: 'put-clock', settings: { ...settings, ...change } }]);
    }, plan);
  const before = set(planOfFile(file), CLOCKS_BEFORE);
  const after = set(done(before, proposeClocks(before, topologyOf(before)).commands), CLOCKS_AFTER);
  const identity = (id: string) =>
    `020000FFFE${(file.devices.findIndex((d) => d.id === id) + 1).toString(16).toUpperCase().padStart(6, '0')}`;
  return { clocks: [...after.clocks.values()].map((c) => ({ ...c, clockIdentity: identity(c.id) })) };
}

export function skerryPoint(): PlanFile {
  const models = new Map<string, Model>(CATALOGUE.map((m) => [m.id, m]));
  const devices: Device[] = [];
  const interfaces: Interface[] = [];
  const links: Link[] = [];
  const nextPort = new Map<string, number>();
  const device = (id: string, name: string, modelId: string, placeId: string, rateHz: RateHz = 48_000) => {
    const serial = `SK-${String(devices.length + 1).padStart(4, '0')}`;
    devices.push({ ...PLAIN_DEVICE, id, name, modelId, placeId, rateHz, serial });
  };
  for (const [id, name, model, place] of SWITCHES) device(id, name, model, place);
  for (const [edge, core, metres] of UPLINKS) {
    const n = (nextPort.get(`up-${core}`) ?? 0) + 1;
    nextPort.set(`up-${core}`, n);
    const second = links.some((l) => l.from.deviceId === edge);
    // PLANTED: the uplink of the Wave Hall runs at 1 Gb/s, nearly all of it set aside for the pictures of the tank cameras.
    const isNarrow = edge === 'wave-edge-a' && !second;
    links.push({
      id: second ? `up-${edge}-2` : `up-${edge}`,
      from: { deviceId: edge, port: second ? 'Uplink 2' : 'Uplink 1' },
      to: { deviceId: core, port: `Uplink ${n}` },
      bitsPerSecond: isNarrow ? 1_000_000_000 : 10_000_000_000,
      metres,
      ...PLAIN_LINK,
      setAsidePercent: isNarrow ? 95 : 0,
      cable: 'single-mode',
      carries: core === 'core-a' ? ON_A : ON_B,
    });
  }
  SWITCHES.forEach(([deviceId], n) =>
    interfaces.push({ deviceId, name: 'control', subnetId: 'control', address: `10.73.0.${n + 2}` }),
  );
  for (const [deviceId, subnetId, address] of ROUTED) {
    interfaces.push({ deviceId, name: `routed:${subnetId}`, subnetId, address });
  }
  const slotUnits: SlotUnit[] = [];
  let controlHost = 20;
  for (const r of DEVICES) {
    device(r.id, r.name, r.model, r.place, r.rateHz);
    const side = SIDES_OF_SITE[r.side];
    for (const port of (models.get(r.model) as Model).ports) {
      if (port.role === 'control') {
        // PLANTED: no control port is plugged in.
        controlHost += 1;
        const address = `10.73.0.${controlHost}`;
        interfaces.push({ deviceId: r.id, name: 'control', subnetId: 'control', address });
        continue;
      }
      const edge = port.role === 'A' ? r.edgeA : r.edgeB;
      const prefix = port.role === 'A' ? side.a : side.b;
      const subnetId = port.role === 'A' ? side.subnetA : side.subnetB;
      if (edge === undefined || prefix === null || subnetId === null) continue;
      interfaces.push({ deviceId: r.id, name: port.role, subnetId, address: `${prefix}.${r.host}` });
      const n = (nextPort.get(edge) ?? 0) + 1;
      nextPort.set(edge, n);
      links.push({
        id: `drop-${r.id}-${port.role.toLowerCase()}`,
        from: { deviceId: r.id, port: port.name },
        to: { deviceId: edge, port: `Port ${n}` },
        bitsPerSecond: port.bitsPerSecond,
        metres: 8 + ((r.host * 7) % 50),
        ...PLAIN_LINK,
        cable: 'cat6',
      });
    }
  }
  for (const [id, name, model, place, talks, hears] of CHAIN_UNITS) {
    device(id, name, model, place);
    slotUnits.push({ id, busId: CHAIN.id, order: slotUnits.length + 1, talks, hears });
  }
  const readdress = (deviceId: string, name: string, address: string) => {
    const index = interfaces.findIndex((i) => i.deviceId === deviceId && i.name === name);
    interfaces[index] = { ...(interfaces[index] as Interface), address };
  };
  // PLANTED: two exhibits with one address.
  readdress('exhibit-12', 'A', '10.71.36.111');
  // PLANTED: the control port of a wireless receiver was given an address of leg A.
  readdress('wave-wireless-2', 'control', '10.71.36.152');

  const labels: ChannelLabel[] = LABELS.flatMap(([deviceId, side, first, words]) =>
    words.map((label, n) => ({ deviceId, side, channel: first + n, label, short: null })),
  );
  const subscriptions: Subscription[] = RUNS.flatMap(([senderDeviceId, firstSent, receiverDeviceId, first, count]) =>
    range(count).map((n) => ({
      receiverDeviceId,
      receiverChannel: first + n - 1,
      senderDeviceId,
      senderChannel: firstSent + n - 1,
    })),
  );
  const used = [...new Set(devices.map((d) => d.modelId))];
  const file = planFileOf({
    settings: { ...DEFAULT_SETTINGS, name: 'Skerry Point' },
    places: PLACES,
    models: used.map((id) => models.get(id) as Model),
    subnets: SUBNETS,
    devices,
    links,
    references: REFERENCES,
    clockGroups: CLOCK_GROUPS,
    slotBuses: [CHAIN],
    slotUnits,
    interfaces,
    labels,
    subscriptions,
    groupChoices: GROUPS_BY_HAND,
    pluggedIn: PLUGGED_IN,
    channelSettings: CHANNEL_SETTINGS,
    audioCables: AUDIO_CABLES,
    patches: PATCHES,
    busSends: BUS_SENDS,
    substitutions: SUBSTITUTIONS,
    coherenceGroups: COHERENCE_GROUPS,
  });
  return { ...file, ...clocksOfSkerryPoint(file) };
}
