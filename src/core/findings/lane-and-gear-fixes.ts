import { routesOf } from '../network/routes';
import { freeName } from '../edits/free';
import type { Command } from '../plan/commands';
import { channelCount, interfacesOf, modelOf, subscriptionsOf, type PlanOf } from '../plan/plan';
import { shortenLabels } from '../edits/short-labels';
import type { Subscription } from '../plan/subscriptions-table';
import { routeThrough } from '../signal/through';
import type { LaneCaution } from '../reckon/lane';
import type { PairReason } from '../reckon/pair';
import { addressFix, legFixes } from './address-fixes';
import type {
  FindingAbout,
  LaneAndGearSubject,
  MapSubject,
  NameSubject,
  ThroughSubject,
  UnknownSubject,
} from './finding';
import type { Fix } from './fix';
import { rateFix } from './rate-fixes';
import { routeFixes } from './subnet-fixes';
import { setSwitch } from './switch-fixes';
import { untried, type WaysOut } from './rule';

/** Every block that holds one of these channels, fed in step so that the first lane of it from this sender stays as it is. */
function wholeBlocks(
  plan: PlanOf<'models' | 'devices' | 'subscriptions'>,
  deviceId: string,
  senderDeviceId: string,
  channels: readonly number[],
  blockSize: number,
): Subscription[] {
  const receives = channelCount(plan, deviceId, 'receive');
  const sends = channelCount(plan, senderDeviceId, 'send');
  const starts = new Set(channels.map((c) => Math.floor((c - 1) / blockSize) * blockSize + 1));
  return [...starts].flatMap((start) => {
    const own = Array.from({ length: blockSize }, (_, n) => start + n);
    const lane = own
      .map((c) => subscriptionsOf(plan, deviceId).get(c))
      .find((s) => s?.senderDeviceId === senderDeviceId);
    if (lane === undefined) return [];
    const first = lane.senderChannel - (lane.receiverChannel - start);
    if (first < 1 || first + blockSize - 1 > sends || start + blockSize - 1 > receives) return [];
    return own.map((receiverChannel, n) => ({
      ...{ receiverDeviceId: deviceId, receiverChannel, senderDeviceId, senderChannel: first + n },
    }));
  });
}

function pastTheUnitFixes(
  plan: PlanOf<'models' | 'devices' | 'subscriptions' | 'patches'>,
  finding: FindingAbout<'past-the-unit'>,
): Fix[] {
  const deviceId = finding.deviceIds[0] ?? '';
  const { channels } = finding;
  const wishes = channels.flatMap((channel) => subscriptionsOf(plan, deviceId).get(channel) ?? []);
  const { subscriptions, left } = routeThrough(plan, wishes);
  const refs = channels.map((channel) => ({ deviceId, channel }));
  return [
    ...(left.length > 0
      ? []
      : [
          {
            does: 'route-through' as const,
            deviceId,
            channels,
            commands: [{ kind: 'subscribe' as const, subscriptions }],
          },
        ]),
    { does: 'clear-lanes', deviceId, channels, commands: [{ kind: 'unsubscribe', channels: refs }] },
  ];
}

function foreignFixes(finding: FindingAbout<'lanes-caution'>, end: 'sender' | 'receiver'): Fix[] {
  const { senderDeviceId, receiverDeviceId, channels } = finding;
  const deviceId = end === 'sender' ? senderDeviceId : receiverDeviceId;
  const refs = channels.map((channel) => ({ deviceId: receiverDeviceId, channel }));
  return [
    {
      does: 'own-patch',
      deviceId,
      commands: [{ kind: 'change-device', deviceId, change: { isPatchForeign: false } }],
    },
    { does: 'clear-lanes', deviceId: receiverDeviceId, channels, commands: [{ kind: 'unsubscribe', channels: refs }] },
  ];
}

type LaneAndGear = (LaneAndGearSubject | UnknownSubject | NameSubject | MapSubject | ThroughSubject)['about'];

/** Ways out of what is wrong with devices and lanes. Those of budgets that are used up take a reckoning: see budget-fixes. */
export const LANE_AND_GEAR_WAYS: WaysOut<LaneAndGear> = {
  'duplicate-name': untried((plan, finding) => {
    const id = finding.deviceIds[1] ?? '';
    const name = freeName(plan, finding.name);
    return [
      {
        does: 'give-name',
        deviceId: id,
        name,
        commands: [{ kind: 'change-device', deviceId: id, change: { name } }],
      },
    ];
  }),
  'duplicate-address': untried((plan, finding) => {
    return finding.interfaces.slice(1).flatMap((holder) => {
      const slash = holder.indexOf('/');
      return addressFix(plan, interfacesOf(plan, holder.slice(0, slash)).get(holder.slice(slash + 1)));
    });
  }),
  'address-outside-subnet': untried((plan, finding) =>
    addressFix(plan, interfacesOf(plan, finding.deviceIds[0] ?? '').get(finding.interface)),
  ),
  'labels-too-long': untried((plan, finding) => {
    const deviceId = finding.deviceIds[0] ?? '';
    const { side, channels } = finding;
    const labels = shortenLabels(plan, deviceId, finding);
    return [
      { does: 'shorten-labels', deviceId, channels, commands: [{ kind: 'label-channels', deviceId, side, labels }] },
    ];
  }),
  'heard-by-old-name': untried((plan, finding) => {
    const deviceId = finding.deviceIds[0] ?? '';
    const name = freeName(plan, finding.found);
    const commands: Command[] = [{ kind: 'change-device', deviceId, change: { name } }];
    return [{ does: 'name-as-found', deviceId, name, commands }];
  }),
  'map-limits-differ': untried((plan, finding) => {
    const deviceId = finding.deviceIds[0] ?? '';
    const model = modelOf(plan, deviceId);
    if (model === undefined) return [];
    const { side, found } = finding;
    const limits = side === 'send' ? { sendMap: found } : { receiveMap: found };
    const mapped = { ...model, ...limits, sendOrder: null, receiveOrder: null };
    const commands: Command[] = [{ kind: 'put-model', model: mapped }];
    return [{ does: 'map-as-found', deviceId, side, modelName: model.name, found, commands }];
  }),
  'maps-apart': untried((_, { deviceIds: [deviceId = ''], nodeId, parts }) =>
    parts.map(({ nodeDeviceId, label }) => ({
      does: 'be-device-of-node',
      deviceId,
      label,
      commands: [{ kind: 'change-device', deviceId, change: { nodeId, nodeDeviceId } }],
    })),
  ),
  'no-channel-map': untried((plan, finding) => {
    const deviceId = finding.deviceIds[0] ?? '';
    const model = modelOf(plan, deviceId);
    if (model === undefined) return [];
    const { sendOrder, receiveOrder } = finding;
    const commands: Command[] = [{ kind: 'put-model', model: { ...model, sendOrder, receiveOrder } }];
    return [{ does: 'take-in-order', deviceId, modelName: model.name, sendOrder, receiveOrder, commands }];
  }),
  'past-the-unit': untried((plan, finding) => pastTheUnitFixes(plan, finding)),
  'unit-passes-nothing': untried((plan, finding) => [
    {
      does: 'hear-directly',
      deviceId: finding.deviceIds[0] ?? '',
      commands: finding.deviceIds
        .slice(1)
        .map((deviceId) => ({ kind: 'change-device', deviceId, change: { throughId: null } })),
    },
  ]),
  'idle-passes': untried((plan, finding) => {
    const deviceId = finding.deviceIds[0] ?? '';
    const { channels } = finding;
    const refs = channels.map((channel) => ({ deviceId, channel }));
    return [{ does: 'clear-lanes', deviceId, channels, commands: [{ kind: 'unsubscribe', channels: refs }] }];
  }),
  'no-group-left': untried(() => []),
  // Only whoever has the data sheet can mend it.
  'figures-unknown': untried(() => []),
  'lanes-caution': untried((plan, finding) => {
    switch (finding.caution.code) {
      case 'one-leg':
        return oneLegFixes(plan, finding.senderDeviceId, finding.receiverDeviceId, finding.caution);
      case 'foreign-patch':
        return foreignFixes(finding, finding.caution.end);
      default:
        return [];
    }
  }),
  'lanes-refused': untried((plan, finding) => {
    const { receiverDeviceId: deviceId, senderDeviceId, channels, reason } = finding;
    const clear: Fix = {
      does: 'clear-lanes',
      deviceId,
      channels,
      commands: [{ kind: 'unsubscribe', channels: channels.map((channel) => ({ deviceId, channel })) }],
    };
    switch (reason.code) {
      case 'rate-differs':
        return [
          ...rateFix(plan, deviceId, reason.senderRateHz),
          ...rateFix(plan, senderDeviceId, reason.receiverRateHz),
          clear,
        ];
      case 'no-address':
      case 'outside-subnet': {
        const end = reason.end === 'sender' ? senderDeviceId : deviceId;
        return [...legFixes(plan, [end], 'A'), clear];
      }
      case 'link-offset': {
        const offsetNs = Math.ceil(reason.neededNs / 250_000) * 250_000;
        const change = { linkOffsetNs: offsetNs };
        return [
          { does: 'set-link-offset', deviceId, offsetNs, commands: [{ kind: 'change-device', deviceId, change }] },
          clear,
        ];
      }
      case 'not-reachable':
        return [...joinFixes(plan, senderDeviceId, reason), clear];
      case 'ttl-too-short': {
        const ttl = reason.routers + 1;
        return [
          { does: 'set-ttl', ttl, commands: [{ kind: 'change-settings', settings: { multicastTtl: ttl } }] },
          clear,
        ];
      }
      case 'map-block': {
        const subscriptions = wholeBlocks(plan, deviceId, senderDeviceId, channels, reason.blockSize);
        const feed: Fix = {
          does: 'feed-blocks',
          deviceId,
          senderDeviceId,
          blocks: subscriptions.length / reason.blockSize,
          commands: [{ kind: 'subscribe', subscriptions }],
        };
        return subscriptions.length === 0 ? [clear] : [feed, clear];
      }
      default:
        return [clear];
    }
  }),
};

type NotReachable = Extract<PairReason, { code: 'not-reachable' }>;

/** Ways to join two subnets. */
function joinFixes(
  plan: PlanOf<'settings' | 'models' | 'subnets' | 'devices' | 'switches' | 'interfaces'>,
  senderId: string,
  reason: NotReachable,
): Fix[] {
  const { senderSubnetId, receiverSubnetId, unicastOnly } = reason;
  if (unicastOnly) return multicastFixes(plan, senderId, senderSubnetId, receiverSubnetId);
  return [...routeFixes(plan, senderSubnetId, receiverSubnetId), ...routeFixes(plan, receiverSubnetId, senderSubnetId)];
}

function oneLegFixes(
  plan: PlanOf<'settings' | 'models' | 'subnets' | 'devices' | 'switches' | 'interfaces'>,
  senderId: string,
  receiverId: string,
  { missing, because }: Extract<LaneCaution, { code: 'one-leg' }>,
): Fix[] {
  return because.code === 'not-reachable'
    ? joinFixes(plan, senderId, because)
    : legFixes(plan, [receiverId, senderId], missing);
}

/** Multicast routing on where a router of the way can do it; else a copy for each receiver. */
function multicastFixes(
  plan: PlanOf<'settings' | 'models' | 'subnets' | 'devices' | 'switches' | 'interfaces'>,
  senderId: string,
  fromSubnetId: string,
  toSubnetId: string,
): Fix[] {
  const route = routesOf(plan).between('unicast', fromSubnetId, toSubnetId) ?? [];
  const able = route
    .map((step) => step.routerId)
    .filter(
      (id) =>
        modelOf(plan, id)?.switching?.routing === 'multicast' && plan.switches.get(id)?.multicastRouting === false,
    );
  return [
    ...able.map((id) => setSwitch(plan, id, 'multicast-routing-on')),
    {
      does: 'send-unicast',
      deviceId: senderId,
      commands: [{ kind: 'change-device', deviceId: senderId, change: { sendsUnicast: true } }],
    },
  ];
}
