import { distinctRanges } from '../../core/formats/receiver-caps';
import type { FoundClock, NodeInterface } from '../../core/formats/is04';
import type { MapLimits, Model } from '../../core/models/models-table';
import type { FoundMapping } from '../../core/findings/field-facts';
import { adapterFor } from '../adapters';
import { channelOfSource, type ChannelFigure, type ChannelFigures } from '../../core/signal/telemetry';
import { foundPatch, type FoundPatch } from '../../core/patch/patch-in-field';
import { modelOf } from '../../core/plan/plan';
import type { PlanRef } from '../../core/plan/plan-ref';
import { planAddress, type Contest } from '../binding';
import { hostOf } from '../reachable-hosts';
import { networkEndsOf, type ChannelMap } from '../../core/formats/is08';
import { foundOrder } from '../device-order';
import type { DeviceFailure } from '../http-json';
import type { DeviceLanes, FieldOnly, LaneEvidence } from '../lane-state';
import type { FieldNode } from '../field-resources';
import type { FoundNode } from '../../core/edits/found-node';
import { partsOf } from '../node-parts';
import { clockHappenings } from './clock-happenings';
import { ofPlan, topic, type LiveFacts } from './topic';

/** How soon changes of devices are sent: as fast as it is sensible to show them. */
const DEVICE_MS = 150;
const AGE_STEP_MS = 20_000;

/** A device of the plan that is there. */
interface DeviceInField {
  readonly nodeId: string;
  readonly boundBy: 'hand' | 'serial' | 'address';
  /** Who reported it last, as an address: a registry, or the node itself. And when, in ms since 1970. */
  readonly foundFrom: string | null;
  readonly foundAt: number | null;
  /** Addresses at which it says it answers, as the plan would write them. */
  readonly addresses: readonly string[];
  /** The host at which it is asked, as the plan would write it, and the adapter of the server that reaches it; null: it is not asked. */
  readonly askedAt: { readonly address: string; readonly adapter: string | null } | null;
  readonly interfaces: readonly NodeInterface[];
  /** Whether connections to it are tried; else only its registry says that it is there. */
  readonly isTried: boolean;
  /** Why its connections could not be read the last time. */
  readonly failure: DeviceFailure | null;
  /** When it last answered, in ms since 1970; null: not yet. */
  readonly answeredAt: number | null;
  /** It has not answered for so long that nobody can say what it does. */
  readonly isNotKnown: boolean;
  /** The other plan that runs it: only that one is sent to it; null: no other does. */
  readonly runBy: PlanRef | null;
}

const nodeOf = (deviceId: string, { bindings }: LiveFacts): FieldNode | undefined =>
  bindings.nodeByDevice.get(deviceId);

const addressesOf = ({ node }: FieldNode, { translation }: LiveFacts): string[] =>
  node.addresses.map((a) => planAddress(a, translation));

function askedAt({ device, node }: FieldNode, { field, translation }: LiveFacts): DeviceInField['askedAt'] {
  const host = hostOf(device?.connectionHref ?? device?.channelMapHref ?? node.href);
  if (host === null || device?.notAllowedHost !== undefined) return null;
  return { address: planAddress(host, translation), adapter: adapterFor(field?.adapters ?? [], host)?.name ?? null };
}

function foundBy(nodeId: string, { field }: LiveFacts): { foundFrom: string | null; foundAt: number | null } {
  const told = field?.toldOf.get(nodeId);
  return { foundFrom: told?.from ?? null, foundAt: told?.at ?? null };
}

export const devices = topic<DeviceInField>({
  per: 'device',
  everyMs: DEVICE_MS,
  ages: { fields: ['answeredAt', 'foundAt'], stepMs: AGE_STEP_MS },
  read: (deviceId, facts) => {
    const found = nodeOf(deviceId, facts);
    if (found === undefined) return undefined;
    const id = found.device?.id ?? '';
    return {
      nodeId: found.node.id,
      boundBy: facts.bindings.boundBy.get(deviceId) ?? 'address',
      ...foundBy(found.node.id, facts),
      addresses: addressesOf(found, facts),
      askedAt: askedAt(found, facts),
      interfaces: found.node.interfaces,
      isTried: found.device !== null && found.device.connectionHref !== null,
      failure: failureOfDevice(found, facts),
      answeredAt: facts.field?.answeredAt.get(id) ?? null,
      isNotKnown: facts.field?.notKnown.has(id) ?? false,
      runBy: facts.runElsewhere.get(id) ?? null,
    };
  },
  happened: (before, after, changed) => {
    const gone = changed.filter(({ key }) => before.has(key) && !after.has(key)).map((c) => c.key);
    const back = changed.filter(({ key, wasGone }) => wasGone && after.has(key)).map((c) => c.key);
    return [
      ...(gone.length > 0 ? [{ what: 'devices-gone' as const, deviceIds: gone }] : []),
      ...(back.length > 0 ? [{ what: 'devices-back' as const, deviceIds: back }] : []),
    ];
  },
});

/** Several nodes claim to be a device of the plan: none of them is taken for it. */
export interface ContestInField extends Contest {
  /** What the nodes call themselves, in the order of their ids. */
  readonly labels: readonly string[];
}

export const contested = topic<ContestInField>({
  per: 'device',
  everyMs: DEVICE_MS,
  read: (deviceId, { bindings, field, translation }) => {
    const contest = bindings.contested.get(deviceId);
    if (contest === undefined) return undefined;
    const labels = contest.nodeIds.map((id) => field?.nodes.get(id)?.node.label ?? id);
    return { ...contest, value: planAddress(contest.value, translation), labels };
  },
});

function failureOfDevice({ device }: FieldNode, { field }: LiveFacts): DeviceFailure | null {
  if (device?.notAllowedHost !== undefined) return { kind: 'not-allowed', host: device.notAllowedHost };
  return (device && field?.failures.get(device.id)) ?? null;
}

/** What devices say they are called. */
export const names = topic<string>({
  per: 'device',
  everyMs: DEVICE_MS,
  read: (deviceId, facts) => nodeOf(deviceId, facts)?.node.label,
});

/** What devices report of their clocks. */
export const clocks = topic<FoundClock>({
  per: 'device',
  everyMs: DEVICE_MS,
  read: (deviceId, facts) => nodeOf(deviceId, facts)?.node.clock ?? undefined,
  happened: clockHappenings,
});

/** How devices map their channels to streams. */
export const channelMappings = topic<FoundMapping>({
  per: 'device',
  everyMs: DEVICE_MS,
  read: (deviceId, facts) => {
    const { field } = facts;
    const node = nodeOf(deviceId, facts);
    if (!node?.device || field === null) return undefined;
    const parts = node.devices.length > 1 ? partsOf(node) : [];
    const apart =
      parts.length === 0
        ? {}
        : {
            apart: {
              nodeId: node.node.id,
              parts: parts.map((p) => ({ nodeDeviceId: p.device?.id ?? '', label: p.node.label })),
            },
          };
    const order = foundOrder(node, field.channelsOfSender);
    if (order !== null) return { has: 'no-map', ...order, ...apart };
    const map = field.channelMaps.get(node.device.id);
    if (map === undefined) return undefined;
    const receive = limitsOf(map.inputs.filter((i) => i.receiverId !== null));
    const send = limitsOf(networkEndsOf(map).sent);
    return {
      has: 'map',
      ...(receive === undefined ? {} : { receive }),
      ...(send === undefined ? {} : { send }),
      ...apart,
    };
  },
});

/** How devices that let their terminals be patched lead them on. */
export const devicePatches = topic<FoundPatch, Model | undefined>({
  per: 'device',
  everyMs: DEVICE_MS,
  ofPlan: ofPlan(['devices', 'models'], modelOf),
  read: (deviceId, facts, { own: model }) => {
    const device = nodeOf(deviceId, facts)?.device;
    const map = device && facts.field?.channelMaps.get(device.id);
    return (map && model && foundPatch(map, model)) ?? undefined;
  },
});

/** What devices tell of single channels: battery, radio level. */
export const channelFigures = topic<ChannelFigures, Model | undefined>({
  per: 'device',
  everyMs: DEVICE_MS,
  ages: { fields: ['readAt'], stepMs: AGE_STEP_MS },
  ofPlan: ofPlan(['devices', 'models'], modelOf),
  read: (deviceId, facts, { own: model }) => {
    const device = nodeOf(deviceId, facts)?.device;
    if (device == null || model === undefined || facts.field === null) return undefined;
    const figures: Record<string, ChannelFigure[]> = {};
    for (const { id, label } of facts.field.eventSourcesOf(device.id)) {
      const reading = facts.field.events.get(id);
      const of = channelOfSource(model, label);
      if (of === null || reading === undefined) continue;
      (figures[`${of.terminalId}/${of.channel}`] ??= []).push({ role: of.role, ...reading });
    }
    for (const own of Object.values(figures)) own.sort((a, b) => (a.role < b.role ? -1 : 1));
    return Object.keys(figures).length === 0 ? undefined : figures;
  },
});

/** The limits of inputs; of several the narrowest. Undefined: there are none. */
function limitsOf(inputs: ChannelMap['inputs']): MapLimits | null | undefined {
  if (inputs.length === 0) return undefined;
  const blockSize = Math.max(...inputs.map((i) => i.limits?.blockSize ?? 1));
  const reordering = inputs.every((i) => i.limits?.reordering !== false);
  return blockSize === 1 && reordering ? null : { blockSize, reordering };
}

/** What is known of the lanes of one receiving device. The lanes of a stream mostly share their evidence, which is sent once. */
export interface LanesInField {
  readonly evidence: readonly LaneEvidence[];
  /** By receiver channel: the place of its evidence. */
  readonly evidenceAt: Readonly<Record<number, number>>;
}

function shared(lanes: DeviceLanes['lanes']): LanesInField {
  const evidence: LaneEvidence[] = [];
  const places = new Map<string, number>();
  const evidenceAt: Record<number, number> = {};
  for (const [channel, one] of lanes) {
    const text = `${one.state} ${one.readAt} ${one.checks.map((c) => `${c.what} ${c.holds}`).join()}`;
    let place = places.get(text);
    if (place === undefined) {
      places.set(text, (place = evidence.length));
      evidence.push(one);
    }
    evidenceAt[channel] = place;
  }
  return { evidence, evidenceAt };
}

/** The lanes of each receiving device, there or not. */
export const lanes = topic<LanesInField>({
  per: 'receiver',
  everyMs: DEVICE_MS,
  ages: { fields: ['readAt'], stepMs: AGE_STEP_MS },
  read: (deviceId, facts) => {
    const isThere = facts.bindings.nodeByDevice.has(deviceId);
    if (!isThere && !facts.isReceiver(deviceId)) return undefined;
    const found = facts.lanesOf(deviceId);
    return found === null ? undefined : shared(found.lanes);
  },
});

/** What devices receive that the plan does not want there, by receiver channel. */
export const fieldOnly = topic<Readonly<Record<number, FieldOnly>>>({
  per: 'receiver',
  everyMs: DEVICE_MS,
  read: (deviceId, facts) => {
    const found = facts.lanesOf(deviceId)?.fieldOnly;
    return found === undefined || found.size === 0 ? undefined : Object.fromEntries(found);
  },
});

/** What no device of the plan is bound to of a node: all of it, or each of its devices that is planned by itself. */
export const unknown = topic<readonly FoundNode[]>({
  per: 'node',
  everyMs: 500,
  ages: { fields: ['foundAt'], stepMs: AGE_STEP_MS },
  read: (nodeId, facts) => {
    const found = facts.field?.nodes.get(nodeId);
    if (found === undefined) return undefined;
    const boundParts = facts.partsByNode.get(nodeId) ?? [];
    if (boundParts.includes(null)) return undefined;
    const parts = partsOf(found);
    const free = parts.filter((part) => !boundParts.includes(part.device?.id ?? null));
    const all = parts.length > 0 ? free : boundParts.length > 0 ? [] : [found];
    return all.length === 0 ? undefined : all.map((one) => foundNode(one, parts.length > 0, facts));
  },
});

function foundNode(found: FieldNode, isPart: boolean, facts: LiveFacts): FoundNode {
  const { node, device, senders, receivers } = found;
  const told = facts.field?.toldOf.get(node.id);
  const map = device === null ? undefined : facts.field?.channelMaps.get(device.id);
  const sum = (items: readonly { channels: number }[] | null | undefined) =>
    (items ?? []).reduce((total, i) => total + i.channels, 0);
  const order = facts.field === null ? null : foundOrder(found, facts.field.channelsOfSender);
  return {
    nodeId: node.id,
    ...(isPart && device !== null ? { nodeDeviceId: device.id } : {}),
    ...(told === undefined ? {} : { foundFrom: told.from, foundAt: told.at }),
    label: node.label,
    serial: node.serial,
    addresses: addressesOf(found, facts),
    channelsReceive: sum(order?.receiveOrder ?? (map && networkEndsOf(map).received)),
    channelsSend: sum(order?.sendOrder ?? (map && networkEndsOf(map).sent)),
    streamsReceive: receivers.length,
    streamsSend: senders.length,
    ...(found.others.picture + found.others.ancillary === 0 ? {} : { others: found.others }),
    interfaces: node.interfaces.map((i) => i.name),
    hasPtp: node.clock === null ? null : node.clock.gmid !== null,
    receives: distinctRanges(receivers.flatMap((r) => r.takes)),
    ...order,
    receiveMap: limitsOf(map?.inputs.filter((i) => i.receiverId !== null) ?? []) ?? null,
    sendMap: limitsOf(map === undefined ? [] : networkEndsOf(map).sent) ?? null,
  };
}
