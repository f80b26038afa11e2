import type { FoundLink } from '../../core/findings/field-facts';
import type { AnnouncementState } from '../announcements';
import { fieldAddress, planAddress, planAddressesIn, type AddressTranslation } from '../binding';
import type { Link } from '../../core/network/links-table';
import type { Plan } from '../../core/plan/plan';
import { seesNetwork, type UsedAdapter } from '../adapters';
import type { DeviceFailure } from '../http-json';
import { ofPlan, topic } from './topic';
import { onceWith } from '../../core/plan/once-for';

/** Whether the registry answers. */
interface RegistryState {
  readonly url: string;
  /** Whether it has answered at all yet. */
  readonly wasHeard: boolean;
  readonly isConnected: boolean;
  readonly because: string | null;
  /** How long it takes at most until a device that stops answering is noticed, in ms. */
  readonly noticedWithinMs: number;
  /** After so long without an answer it is not known any more what a device does, in ms. */
  readonly notKnownAfterMs: number;
}

export const registry = topic<RegistryState>({
  per: 'field',
  everyMs: 150,
  read: (_, { registry: heard }) =>
    heard === null
      ? undefined
      : {
          url: heard.registryUrl,
          wasHeard: heard.wasHeard,
          isConnected: heard.isConnected,
          because: heard.disconnectedBecause,
          noticedWithinMs: heard.noticedWithinMs,
          notKnownAfterMs: heard.notKnownAfterMs,
        },
  happened: (before, after) => {
    const [was, is] = [before.get(''), after.get('')];
    if (was?.isConnected === true && is?.isConnected === false) return [{ what: 'registry-lost', because: is.because }];
    return was?.isConnected === false && was.wasHeard && is?.isConnected === true ? [{ what: 'registry-back' }] : [];
  },
});

/** An adapter of the server's computer, with its addresses as they are there. */
export interface AdapterInField {
  readonly name: string;
  readonly address: string;
  readonly network: string;
  readonly isUsed: boolean;
  /** The subnets of the plan whose hosts it reaches without a router. */
  readonly subnetIds: readonly string[];
}

/** Asked for with every change of anything, and hardly ever another. */
const adaptersSeeing = onceWith(
  (
    subnets: Plan['subnets'],
    used: readonly UsedAdapter[],
    translation: AddressTranslation | null,
  ): readonly AdapterInField[] =>
    used.map((adapter) => ({
      name: adapter.name,
      address: adapter.address,
      network: adapter.network,
      isUsed: adapter.isUsed,
      subnetIds: [...subnets.values()]
        .filter(({ cidr }) => seesNetwork(adapter, fieldAddress(cidr, translation)))
        .map((subnet) => subnet.id),
    })),
);

/** By which adapters of the server's computer the subnets of the plan can be seen. */
export const adapters = topic<readonly AdapterInField[], Plan['subnets']>({
  per: 'field',
  everyMs: 500,
  ofPlan: ofPlan(['subnets'], ({ subnets }) => subnets),
  read: (_, { registry: heard, translation }, { own: subnets }) =>
    heard === null ? undefined : adaptersSeeing(subnets, heard.adapters, translation),
});

/** How a cable came up, and where: at other ports it is another cable, of which nothing was lost. */
interface LinkInField extends FoundLink {
  /** Its two ends as the plan has them. */
  readonly ends: string;
  /** It is down and was up, as far as is known: whatever was down at the first look counts as lost. */
  readonly isLost: boolean;
}

/** How cables came up, where a switch at one of their ends says; where both say something, the slower. */
export const links = topic<LinkInField, Link | undefined>({
  per: 'link',
  everyMs: 500,
  ofPlan: ofPlan(['links'], (plan, linkId) => plan.links.get(linkId)),
  read: (_, { switchReadings }, { own: link, last, isFirstLook }) => {
    let found: FoundLink | undefined;
    for (const end of link === undefined ? [] : [link.from, link.to]) {
      const port = switchReadings.get(end.deviceId)?.ports.find((p) => p.name === end.port);
      if (port === undefined) continue;
      const { isUp, bitsPerSecond, duplex } = port;
      if (found && (found.bitsPerSecond ?? Infinity) <= (bitsPerSecond ?? Infinity)) continue;
      found = { isUp, bitsPerSecond, duplex };
    }
    if (found === undefined || link === undefined) return undefined;
    const ends = `${link.from.deviceId} ${link.from.port} ${link.to.deviceId} ${link.to.port}`;
    const wasUp = isFirstLook === true || (last?.ends === ends && (last.isUp || last.isLost));
    return { ...found, ends, isLost: !found.isUp && wasUp };
  },
  happened: (before, after, changed) => {
    const keys = changed.map((c) => c.key).filter((key) => before.get(key)?.ends === after.get(key)?.ends);
    const down = keys.filter((key) => before.get(key)?.isUp === true && after.get(key)?.isUp === false);
    const up = keys.filter((key) => before.get(key)?.isUp === false && after.get(key)?.isUp === true);
    return [
      ...(down.length > 0 ? [{ what: 'cables-down' as const, linkIds: down }] : []),
      ...(up.length > 0 ? [{ what: 'cables-up' as const, linkIds: up }] : []),
    ];
  },
});

export interface SwitchInField {
  /** When it last answered; null: never yet. */
  readonly readAt: number | null;
  /** Why it does not answer now. */
  readonly failure: DeviceFailure | null;
}

/** Switches of the plan that have an address to ask at. */
export const switches = topic<SwitchInField>({
  per: 'switch',
  everyMs: 500,
  ages: { fields: ['readAt'], stepMs: 10_000 },
  read: (deviceId, { switchReadings }) => {
    const reading = switchReadings.get(deviceId);
    if (reading === undefined) return undefined;
    const { readAt, ports, failure } = reading;
    return { readAt: failure !== null && ports.length === 0 ? null : readAt, failure };
  },
  happened: (before, after, changed) => {
    const keys = changed.map((c) => c.key);
    const isSilent = (value: SwitchInField | undefined) => value !== undefined && value.failure !== null;
    const answers = (value: SwitchInField | undefined) => value !== undefined && value.failure === null;
    const silent = keys.filter((key) => answers(before.get(key)) && isSilent(after.get(key)));
    const back = keys.filter((key) => isSilent(before.get(key)) && answers(after.get(key)));
    return [
      ...(silent.length > 0 ? [{ what: 'switches-silent' as const, deviceIds: silent }] : []),
      ...(back.length > 0 ? [{ what: 'switches-answer' as const, deviceIds: back }] : []),
    ];
  },
});

/** An adapter on which announcements are listened for; why not where that fails, and what could not be read. */
type AnnouncementPlaceState = AnnouncementState['places'][number];

export const announcementPlaces = topic<AnnouncementPlaceState>({
  per: 'announcement-place',
  everyMs: 500,
  read: (key, { announcements }) => announcements?.places.find((p) => placeKey(p) === key),
});

export const placeKey = ({ address, port }: { readonly address: string; readonly port: number }): string =>
  `${address}:${port}`;

/** A session that is announced (SAP), with addresses as the plan would write them. */
export interface SessionInField {
  readonly origin: string;
  readonly sdp: string;
  readonly firstHeardAt: number;
  readonly lastHeardAt: number;
}

export const sessions = topic<SessionInField>({
  per: 'session',
  everyMs: 500,
  ages: { fields: ['lastHeardAt'], stepMs: 20_000 },
  read: (key, { announcements, translation }) => {
    const session = announcements?.sessions.get(key);
    if (session === undefined) return undefined;
    const { origin, payload, firstHeardAt, lastHeardAt } = session;
    return {
      origin: planAddress(origin, translation),
      sdp: planAddressesIn(payload, translation),
      firstHeardAt,
      lastHeardAt,
    };
  },
});
