import type { MapLimits } from '../models/models-table';
import { parseAddress, parseCidr } from '../network/address';
import { routesOf } from '../network/routes';
import type { PairReason } from '../reckon/profile';
import type { LaneCaution } from '../reckon/reckoning';
import type { Command } from '../plan/commands';
import { freeAddressIn, freeName } from '../plan/free';
import { shortenLabels } from '../plan/short-labels';
import { routeThrough } from '../plan/through';
import { channelCount, interfacesOf, modelOf, subscriptionsOf, type Plan, type PlanOf } from '../plan/plan';
import type { Interface } from '../network/interfaces-table';
import type { Subscription } from '../plan/subscriptions-table';
import { clockFixes, type ClockFix } from './clock-fixes';
import { isAboutClocks, isAboutSlots, type Finding } from './finding';
import type { LanesOfStream, NetworkFix } from './network-fix';
import { networkFixes } from './network-fixes';
import { routeFixes } from './subnet-fixes';
import { rateFix, type RateFix } from './rate-fixes';
import { slotFixes, type SlotFix } from './slot-fixes';
import { setSwitch } from './switch-fixes';

/** A way out of a finding: a command batch that can be previewed and applied. The interface words it. */
export type Fix = OwnFix | RateFix | NetworkFix | ClockFix | SlotFix;

type OwnFix = { readonly commands: readonly Command[] } & (
  | { readonly does: 'give-address'; readonly deviceId: string; readonly interface: string; readonly address: string }
  | { readonly does: 'set-link-offset'; readonly deviceId: string; readonly offsetNs: number }
  | { readonly does: 'own-patch'; readonly deviceId: string }
  | { readonly does: 'repack'; readonly deviceId: string; readonly mayInterrupt: boolean }
  /** Other lanes, so that there is room for these. */
  | { readonly does: 'give-up'; readonly deviceId: string; readonly lanes: number }
  /** Blocks that a receiver can only be fed in as a whole, each in step from the sender. */
  | {
      readonly does: 'feed-blocks';
      readonly deviceId: string;
      readonly senderDeviceId: string;
      readonly blocks: number;
    }
  /** For all devices of the model. */
  | {
      readonly does: 'map-as-found';
      readonly deviceId: string;
      readonly modelName: string;
      readonly found: MapLimits | null;
    }
  | { readonly does: 'route-through'; readonly deviceId: string; readonly channels: readonly number[] }
  /** Those that went through this unit. */
  | { readonly does: 'hear-directly'; readonly deviceId: string }
  | { readonly does: 'shorten-labels'; readonly deviceId: string; readonly channels: readonly number[] }
  | { readonly does: 'name-as-found'; readonly deviceId: string; readonly name: string }
  | { readonly does: 'give-name'; readonly deviceId: string; readonly name: string }
  | { readonly does: 'clear-lanes'; readonly deviceId: string; readonly channels: readonly number[] }
);

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
  plan: PlanOf<'models' | 'devices' | 'subscriptions'>,
  finding: Extract<Finding, { about: 'past-the-unit' }>,
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

function foreignFixes(finding: Extract<Finding, { about: 'lanes-caution' }>, end: 'sender' | 'receiver'): Fix[] {
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

/** The fixes for a finding in this plan, the gentlest first. Pure; costs little, but is meant for one finding at a time. */
export function fixesFor(plan: Plan, finding: Finding, lanesOf: LanesOfStream = () => []): Fix[] {
  if (isAboutClocks(finding)) return clockFixes(plan, finding);
  if (isAboutSlots(finding)) return slotFixes(plan, finding);
  switch (finding.about) {
    case 'duplicate-name': {
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
    }
    case 'duplicate-address':
      return finding.interfaces.slice(1).flatMap((holder) => {
        const slash = holder.indexOf('/');
        return addressFix(plan, interfacesOf(plan, holder.slice(0, slash)).get(holder.slice(slash + 1)));
      });
    case 'address-outside-subnet':
      return addressFix(plan, interfacesOf(plan, finding.deviceIds[0] ?? '').get(finding.interface));
    case 'labels-too-long': {
      const deviceId = finding.deviceIds[0] ?? '';
      const { side, channels } = finding;
      const labels = shortenLabels(plan, deviceId, finding);
      return [
        { does: 'shorten-labels', deviceId, channels, commands: [{ kind: 'label-channels', deviceId, side, labels }] },
      ];
    }
    case 'heard-by-old-name': {
      const deviceId = finding.deviceIds[0] ?? '';
      const name = freeName(plan, finding.found);
      const commands: Command[] = [{ kind: 'change-device', deviceId, change: { name } }];
      return [{ does: 'name-as-found', deviceId, name, commands }];
    }
    case 'map-limits-differ': {
      const deviceId = finding.deviceIds[0] ?? '';
      const model = modelOf(plan, deviceId);
      if (model === undefined) return [];
      const receiveMap = finding.found;
      const commands: Command[] = [{ kind: 'put-model', model: { ...model, receiveMap } }];
      return [{ does: 'map-as-found', deviceId, modelName: model.name, found: receiveMap, commands }];
    }
    case 'past-the-unit':
      return pastTheUnitFixes(plan, finding);
    case 'unit-passes-nothing':
      return [
        {
          does: 'hear-directly',
          deviceId: finding.deviceIds[0] ?? '',
          commands: finding.deviceIds
            .slice(1)
            .map((deviceId) => ({ kind: 'change-device', deviceId, change: { throughId: null } })),
        },
      ];
    case 'idle-passes': {
      const deviceId = finding.deviceIds[0] ?? '';
      const { channels } = finding;
      const refs = channels.map((channel) => ({ deviceId, channel }));
      return [{ does: 'clear-lanes', deviceId, channels, commands: [{ kind: 'unsubscribe', channels: refs }] }];
    }
    case 'no-group-left':
      return [];
    case 'lanes-caution':
      switch (finding.caution.code) {
        case 'one-leg':
          return oneLegFixes(plan, finding.senderDeviceId, finding.receiverDeviceId, finding.caution);
        case 'foreign-patch':
          return foreignFixes(finding, finding.caution.end);
        default:
          return [];
      }
    case 'lanes-refused': {
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
    }
    case 'address-in-dhcp-range': {
      const own = interfacesOf(plan, finding.deviceIds[0] ?? '').get(finding.interface);
      return [...addressFix(plan, own), ...networkFixes(plan, finding, lanesOf)];
    }
    default:
      return networkFixes(plan, finding, lanesOf);
  }
}

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

/** Addresses for those of the devices that have the leg and no usable address on it. */
function legFixes(plan: PlanOf<'subnets' | 'interfaces'>, deviceIds: readonly string[], leg: 'A' | 'B'): Fix[] {
  return deviceIds.flatMap((deviceId) => {
    const known = interfacesOf(plan, deviceId).get(leg);
    if (known?.subnetId && known.address && isUsable(plan, known)) return [];
    const subnetId = known?.subnetId ?? [...plan.subnets.values()].find((s) => s.role === leg)?.id ?? null;
    return addressFix(plan, { deviceId, name: leg, subnetId, address: null });
  });
}

function isUsable(plan: PlanOf<'subnets'>, i: Interface): boolean {
  const block = parseCidr(plan.subnets.get(i.subnetId ?? '')?.cidr ?? '');
  const address = parseAddress(i.address ?? '');
  return block !== null && address !== null && (address & block.mask) >>> 0 === block.base;
}

function addressFix(plan: PlanOf<'subnets' | 'interfaces'>, i: Interface | undefined): Fix[] {
  if (i === undefined || i.subnetId === null) return [];
  const address = freeAddressIn(plan, i.subnetId);
  if (address === null) return [];
  const commands: Command[] = [{ kind: 'put-interface', interface: { ...i, address } }];
  return [{ does: 'give-address', deviceId: i.deviceId, interface: i.name, address, commands }];
}
