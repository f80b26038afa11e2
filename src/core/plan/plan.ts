import type {
  ChannelLabel,
  ClockGroup,
  ClockSettings,
  Device,
  GroupChoice,
  Interface,
  Link,
  Model,
  Place,
  PlanSettings,
  Reference,
  SentStream,
  SlotBus,
  SlotUnit,
  StreamLayout,
  Subnet,
  Subscription,
  SwitchSettings,
} from './records';

export type FlatTable<T> = ReadonlyMap<string, T>;
/** Records that belong to a device, by device id and then by their key within the device. */
export type OwnedTable<T> = ReadonlyMap<string, ReadonlyMap<string, T>>;
/** As OwnedTable, keyed by channel or slot number. */
export type NumberedTable<T> = ReadonlyMap<string, ReadonlyMap<number, T>>;

/**
 * The whole design as one immutable value. Two plans share every part that did not change, so "did this device's
 * subscriptions change?" is a comparison of references; the incremental reckoning rests on that.
 */
export interface Plan {
  readonly settings: PlanSettings;
  readonly places: FlatTable<Place>;
  readonly models: FlatTable<Model>;
  readonly subnets: FlatTable<Subnet>;
  readonly devices: FlatTable<Device>;
  readonly links: FlatTable<Link>;
  readonly switches: FlatTable<SwitchSettings>;
  /** By device. */
  readonly clocks: FlatTable<ClockSettings>;
  readonly references: FlatTable<Reference>;
  readonly clockGroups: FlatTable<ClockGroup>;
  readonly slotBuses: FlatTable<SlotBus>;
  /** By device. */
  readonly slotUnits: FlatTable<SlotUnit>;
  /** By device and interface name. */
  readonly interfaces: OwnedTable<Interface>;
  /** By device and `receive/3` or `send/3`. */
  readonly labels: OwnedTable<ChannelLabel>;
  /** By receiving device and receiver channel. */
  readonly subscriptions: NumberedTable<Subscription>;
  /** By sending device and slot. */
  readonly sentStreams: NumberedTable<SentStream>;
  /** By sending device and slot. */
  readonly groupChoices: NumberedTable<GroupChoice>;
  /** By sending device and slot. */
  readonly layouts: NumberedTable<StreamLayout>;
}

export const DEFAULT_SETTINGS: PlanSettings = {
  id: 'settings',
  name: 'New plan',
  preferredEncoding: 'L24',
  preferredPacketTimeUs: 1000,
  poolA: '239.71.0.0/16',
  poolB: '239.72.0.0/16',
  rtpPort: 5004,
  vlanTagged: false,
  loadCeilingPercent: 70,
  controlBitsPerSecond: 1_000_000,
  multicastTtl: 32,
  ptpDscp: 46,
  mediaDscp: 34,
  discovery: 'registry',
};

export function emptyPlan(name: string): Plan {
  return {
    settings: { ...DEFAULT_SETTINGS, name },
    places: new Map(),
    models: new Map(),
    subnets: new Map(),
    devices: new Map(),
    links: new Map(),
    switches: new Map(),
    clocks: new Map(),
    references: new Map(),
    clockGroups: new Map(),
    slotBuses: new Map(),
    slotUnits: new Map(),
    interfaces: new Map(),
    labels: new Map(),
    subscriptions: new Map(),
    sentStreams: new Map(),
    groupChoices: new Map(),
    layouts: new Map(),
  };
}

const NO_INTERFACES: ReadonlyMap<string, Interface> = new Map();
const NO_SUBSCRIPTIONS: ReadonlyMap<number, Subscription> = new Map();
const NO_SENT_STREAMS: ReadonlyMap<number, SentStream> = new Map();

export function interfacesOf(plan: Plan, deviceId: string): ReadonlyMap<string, Interface> {
  return plan.interfaces.get(deviceId) ?? NO_INTERFACES;
}

export function subscriptionsOf(plan: Plan, receiverDeviceId: string): ReadonlyMap<number, Subscription> {
  return plan.subscriptions.get(receiverDeviceId) ?? NO_SUBSCRIPTIONS;
}

const NO_LAYOUTS: ReadonlyMap<number, StreamLayout> = new Map();

export function layoutsOf(plan: Plan, senderDeviceId: string): ReadonlyMap<number, StreamLayout> {
  return plan.layouts.get(senderDeviceId) ?? NO_LAYOUTS;
}

export function sentStreamsOf(plan: Plan, senderDeviceId: string): ReadonlyMap<number, SentStream> {
  return plan.sentStreams.get(senderDeviceId) ?? NO_SENT_STREAMS;
}

export function modelOf(plan: Plan, deviceId: string): Model | undefined {
  const device = plan.devices.get(deviceId);
  return device && plan.models.get(device.modelId);
}

export function labelOf(plan: Plan, deviceId: string, side: 'receive' | 'send', channel: number): string | null {
  return plan.labels.get(deviceId)?.get(`${side}/${channel}`)?.label ?? null;
}

/** How many channels of the device can be labelled on this side: those of the network, or those it puts on or takes off slots. */
export function labelledCount(plan: Plan, deviceId: string, side: 'receive' | 'send'): number {
  const slots = modelOf(plan, deviceId)?.slots ?? null;
  const blocks = side === 'receive' ? slots?.hearBlocks : slots?.talkBlocks;
  return Math.max(channelCount(plan, deviceId, side), (blocks ?? 0) * (slots?.blockSize ?? 0));
}

/** How many network channels the device has on this side. */
export function channelCount(plan: Plan, deviceId: string, side: 'receive' | 'send'): number {
  const model = modelOf(plan, deviceId);
  return model === undefined ? 0 : side === 'receive' ? model.channelsReceive : model.channelsSend;
}
