import type { Model } from '../models/models-table';
import type { Interface } from '../network/interfaces-table';
import type { StreamLayout } from '../streams/layouts-table';
import type { SentStream } from '../streams/sent-streams-table';
import type { Device } from './devices-table';
import { DEFAULT_SETTINGS } from './settings-table';
import type { Subscription } from './subscriptions-table';
import { TABLE_NAMES, type TableName, type TableValue } from './tables';

/**
 * The whole design as one immutable value. Two plans share every part that did not change, so "did this device's
 * subscriptions change?" is a comparison of references; the incremental reckoning rests on that.
 */
export type Plan = { readonly [T in TableName]: TableValue<T> };

/** Some tables of a plan: what a function needs of it, and all that it is given. */
export type PlanOf<T extends TableName> = Pick<Plan, T>;

export function emptyPlan(name: string): Plan {
  const tables = Object.fromEntries(TABLE_NAMES.map((table) => [table, new Map()]));
  return { ...tables, settings: { ...DEFAULT_SETTINGS, name } } as unknown as Plan;
}

const NO_INTERFACES: ReadonlyMap<string, Interface> = new Map();
const NO_SUBSCRIPTIONS: ReadonlyMap<number, Subscription> = new Map();
const NO_SENT_STREAMS: ReadonlyMap<number, SentStream> = new Map();
const NO_LAYOUTS: ReadonlyMap<number, StreamLayout> = new Map();

export function interfacesOf(plan: PlanOf<'interfaces'>, deviceId: string): ReadonlyMap<string, Interface> {
  return plan.interfaces.get(deviceId) ?? NO_INTERFACES;
}

export function subscriptionsOf(
  plan: PlanOf<'subscriptions'>,
  receiverDeviceId: string,
): ReadonlyMap<number, Subscription> {
  return plan.subscriptions.get(receiverDeviceId) ?? NO_SUBSCRIPTIONS;
}

export function layoutsOf(plan: PlanOf<'layouts'>, senderDeviceId: string): ReadonlyMap<number, StreamLayout> {
  return plan.layouts.get(senderDeviceId) ?? NO_LAYOUTS;
}

export function sentStreamsOf(plan: PlanOf<'sentStreams'>, senderDeviceId: string): ReadonlyMap<number, SentStream> {
  return plan.sentStreams.get(senderDeviceId) ?? NO_SENT_STREAMS;
}

/** Which devices there are and of which models: all that cables, power and clocks ask of a device. */
export interface ModelledDevices {
  readonly devices: ReadonlyMap<string, { readonly id: string; readonly modelId: string }>;
  readonly models: Plan['models'];
}

/** A device without what it is called and found by: no figure of the network follows from that. */
export type Gear = Omit<Device, 'name' | 'notes' | 'placeId' | 'serial' | 'nodeId' | 'nodeDeviceId'>;

export interface GearTable {
  readonly devices: ReadonlyMap<string, Gear>;
}

export function modelOf(plan: ModelledDevices, deviceId: string): Model | undefined {
  const device = plan.devices.get(deviceId);
  return device && plan.models.get(device.modelId);
}

export function labelOf(
  plan: PlanOf<'labels'>,
  deviceId: string,
  side: 'receive' | 'send',
  channel: number,
): string | null {
  return plan.labels.get(deviceId)?.get(`${side}/${channel}`)?.label ?? null;
}

/** How many channels of the device can be labelled on this side: those of the network, or those it puts on or takes off slots. */
export function labelledCount(plan: ModelledDevices, deviceId: string, side: 'receive' | 'send'): number {
  const slots = modelOf(plan, deviceId)?.slots ?? null;
  const blocks = side === 'receive' ? slots?.hearBlocks : slots?.talkBlocks;
  return Math.max(channelCount(plan, deviceId, side), (blocks ?? 0) * (slots?.blockSize ?? 0));
}

/** How many network channels the device has on this side. */
export function channelCount(plan: ModelledDevices, deviceId: string, side: 'receive' | 'send'): number {
  const model = modelOf(plan, deviceId);
  return model === undefined ? 0 : side === 'receive' ? model.channelsReceive : model.channelsSend;
}
