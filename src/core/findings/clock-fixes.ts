import { plannedClock } from '../clocks/clock-settings';
import { canReach } from '../clocks/network-clocks';
import { accepts, intervalsOf } from '../clocks/profiles';
import { proposeClocks } from '../clocks/propose';
import { topologyOf } from '../network/topology';
import type { Command } from '../plan/commands';
import { subscriptionsOf, type Plan, type PlanOf } from '../plan/plan';
import { freeId } from '../edits/propose-devices';
import type { ClockSettings, MediaClockSource } from '../clocks/clocks-table';
import { RATES_HZ } from '../streams/format';
import type { ClockFix } from './clock-fix';
import type { ClockSubject } from './clock-subject';
import { tried, untried, type WaysOut } from './rule';
import { rateFix } from './rate-fixes';
import { betterModels } from './switch-fixes';

/** The ways out, the gentlest first. Those that depend on the whole network are tried before they are offered. */
export const CLOCK_WAYS: WaysOut<ClockSubject['about']> = {
  'two-grandmasters': tried((plan, finding) => [
    ...finding.subnetIds.flatMap((id) => relayFixes(plan, id, [finding.grandmasterIds[0]])).slice(0, 3),
    ...clockPlan(plan),
  ]),
  'subnet-no-time': tried((plan, finding) => [...relayFixes(plan, finding.subnetId, []), ...clockPlan(plan)]),
  'relay-no-spare': tried((plan, finding) => relayFixes(plan, finding.subnetId, [], finding.relayId)),
  'relay-unreachable': tried((plan, finding) => {
    const settings = settingsOf(plan, finding.relayId);
    if (settings === null) return [];
    const unicastMasterIds = settings.unicastMasterIds.filter((id) => id !== finding.masterId);
    const relay = unicastMasterIds.length > 0 ? settings.relay : 'none';
    return [
      {
        does: 'ask-only-reachable',
        deviceId: finding.relayId,
        commands: [put({ ...settings, unicastMasterIds, relay })],
      },
    ];
  }),
  'time-through-switch': tried((plan, finding) =>
    betterModels(plan, finding.switchId, (can) => can.timestamping !== 'none' && can.energySaving !== 'fixed'),
  ),
  'clock-tie': tried((plan, finding) => {
    const settings = settingsOf(plan, finding.winnerId);
    const priority2 = Math.max(0, (settings?.priority2 ?? 1) - 1);
    return settings === null || settings.priority2 === 0
      ? clockPlan(plan)
      : [
          {
            does: 'set-priority2',
            deviceId: finding.winnerId,
            priority2,
            commands: [put({ ...settings, priority2 })],
          },
        ];
  }),
  'priorities-default': tried((plan) => clockPlan(plan)),
  'grandmaster-no-spare': tried((plan, finding) => {
    const first = finding.deviceIds[0] ?? '';
    return [...nextInLine(plan, first, finding.nextId), ...clockPlan(plan)];
  }),
  'leader-only-follows': untried((plan, finding) => {
    const first = finding.deviceIds[0] ?? '';
    return [
      ...(finding.canLead ? changed(plan, first, { clientOnly: false }, { does: 'may-lead', deviceId: first }) : []),
      ...changed(
        plan,
        first,
        { clientOnly: true, priority1: 255, priority2: 255 },
        { does: 'only-follow', deviceId: first },
      ),
    ];
  }),
  'battery-grandmaster': untried((plan, finding) => {
    const first = finding.deviceIds[0] ?? '';
    return [
      ...changed(plan, first, { clientOnly: true }, { does: 'only-follow', deviceId: first }),
      ...clockPlan(plan),
    ];
  }),
  'profile-unmet': tried((plan) => clockPlan(plan)),
  'intervals-differ': tried((plan, finding) => {
    const leader = settingsOf(plan, finding.leaderId);
    if (leader === null) return [];
    const intervals = intervalsOf(leader);
    const able = finding.deviceIds.filter((id) => {
      const ability = plannedClock(plan, id)?.ability;
      return ability !== undefined && accepts(ability, intervals);
    });
    const commands = able.flatMap((id) => changeOf(plan, id, { ...intervals, profile: leader.profile }));
    return commands.length === 0
      ? []
      : [{ does: 'use-intervals', deviceIds: able, leaderId: finding.leaderId, commands }];
  }),
  'domains-differ': tried((plan, finding) => {
    const { deviceIds, usualDomain: domainNumber } = finding;
    const commands = deviceIds.flatMap((id) => changeOf(plan, id, { domainNumber }));
    return [{ does: 'set-domain', deviceIds, domainNumber, commands }];
  }),
  'reference-missing': tried((plan, finding) => {
    const first = finding.deviceIds[0] ?? '';
    return [
      ...finding.tried.flatMap(({ referenceId, problem }) => {
        const reference = plan.references.get(referenceId);
        if (problem !== 'not-fed' || reference === undefined) return [];
        const commands: Command[] = [{ kind: 'put-reference', reference: { ...reference, isFed: true } }];
        return [{ does: 'feed-reference' as const, referenceId, commands }];
      }),
      ...follow(plan, [first], 'ptp'),
      ...follow(plan, [first], 'own'),
    ];
  }),
  'reference-rate': tried((plan, finding) => {
    const first = finding.deviceIds[0] ?? '';
    return [...rateFix(plan, first, finding.referenceRateHz), ...follow(plan, [first], 'ptp')];
  }),
  'rate-not-of-group': untried((plan, finding) =>
    groupRateFixes(plan, finding.deviceIds, finding.rateHz, finding.groupRateHz),
  ),
  'group-no-authority': untried((plan, finding) => {
    const first = finding.deviceIds[0] ?? '';
    const group = plan.clockGroups.get(finding.groupId);
    if (group === undefined) return [];
    const authority = { kind: 'device', id: first } as const;
    const commands: Command[] = [{ kind: 'put-clock-group', group: { ...group, authority } }];
    return [{ does: 'set-authority', groupId: group.id, deviceId: first, commands }];
  }),
  'free-running': tried((plan, finding) => {
    const astray = finding.deviceIds.filter((id) => settingsOf(plan, id)?.mediaClock !== 'ptp');
    return [...follow(plan, astray, 'ptp'), ...clockPlan(plan), ...clearBetween(plan, finding.pairs)];
  }),
  'free-running-sides': tried((plan, finding) => {
    const first = finding.deviceIds[0] ?? '';
    return changed(
      plan,
      first,
      { secondGroupId: null },
      { does: 'leave-side', deviceId: first, groupId: finding.groupId },
    );
  }),
  'field-grandmaster': untried((plan, finding) => {
    return finding.foundId === null ? [] : leadAsFound(plan, finding.foundId, finding.plannedId);
    // What runs in the field is put right there; the plan has nothing to change.
  }),
  'field-two-grandmasters': untried(() => []),
  'version-1-alone': tried((plan, finding) => {
    const { deviceIds } = finding;
    const commands = deviceIds.flatMap((id) => changeOf(plan, id, { runsPtp: false }));
    return [{ does: 'stop-ptp', deviceIds, commands }];
  }),
};

const settingsOf = (plan: PlanOf<'models' | 'devices' | 'clocks'>, id: string): ClockSettings | null =>
  plannedClock(plan, id)?.settings ?? null;
const put = (settings: ClockSettings): Command => ({ kind: 'put-clock', settings });

function changeOf(
  plan: PlanOf<'models' | 'devices' | 'clocks'>,
  id: string,
  change: Partial<ClockSettings>,
): Command[] {
  const settings = settingsOf(plan, id);
  return settings === null ? [] : [put({ ...settings, ...change })];
}

type Named =
  | { readonly does: 'may-lead' | 'only-follow'; readonly deviceId: string }
  | { readonly does: 'leave-side'; readonly deviceId: string; readonly groupId: string };
function changed(
  plan: PlanOf<'models' | 'devices' | 'clocks'>,
  id: string,
  change: Partial<ClockSettings>,
  named: Named,
): ClockFix[] {
  const commands = changeOf(plan, id, change);
  return commands.length === 0 ? [] : [{ ...named, commands } as ClockFix];
}

/** The group's rate for all of them, if all can; another group of their rate, which may have to be made. */
function groupRateFixes(
  plan: PlanOf<'models' | 'devices' | 'clockGroups' | 'clocks'>,
  deviceIds: readonly string[],
  rate: number,
  groupRate: number,
): ClockFix[] {
  const fixes: ClockFix[] = [];
  const rates = deviceIds.map((id) => rateFix(plan, id, groupRate));
  if (rates.every((r) => r.length > 0)) {
    fixes.push({
      does: 'set-rates',
      deviceIds,
      rateHz: groupRate,
      commands: rates.flatMap((r) => r.flatMap((f) => f.commands)),
    });
  }
  const into = (groupId: string) => deviceIds.flatMap((id) => changeOf(plan, id, { groupId }));
  const other = [...plan.clockGroups.values()]
    .filter((g) => g.rateHz === rate)
    .sort((a, b) => (a.id < b.id ? -1 : 1))[0];
  const rateHz = RATES_HZ.find((r) => r === rate);
  if (other !== undefined) fixes.push({ does: 'join-group', deviceIds, groupId: other.id, commands: into(other.id) });
  else if (rateHz !== undefined) {
    const id = freeId(`rate-${rate}`, plan.clockGroups);
    const authority = { kind: 'device', id: deviceIds[0] ?? '' } as const;
    const group: Command = { kind: 'put-clock-group', group: { id, name: `${rate / 1000} kHz`, rateHz, authority } };
    fixes.push({ does: 'own-group', deviceIds, rateHz, commands: [group, ...into(id)] });
  }
  return fixes;
}

function follow(
  plan: PlanOf<'models' | 'devices' | 'clocks'>,
  deviceIds: readonly string[],
  mediaClock: MediaClockSource,
): ClockFix[] {
  const commands = deviceIds.flatMap((id) =>
    changeOf(plan, id, { mediaClock, ...(mediaClock === 'ptp' ? { runsPtp: true } : {}) }),
  );
  return commands.length === 0 ? [] : [{ does: 'follow', deviceIds, mediaClock, commands }];
}

/** The last way out: nothing is heard across the two clocks any more. */
function clearBetween(
  plan: PlanOf<'subscriptions'>,
  pairs: readonly { senderId: string; receiverId: string }[],
): ClockFix[] {
  const channels = pairs.flatMap(({ senderId, receiverId }) =>
    [...subscriptionsOf(plan, receiverId).values()]
      .filter((s) => s.senderDeviceId === senderId)
      .map((s) => ({ deviceId: receiverId, channel: s.receiverChannel })),
  );
  const commands: Command[] = [{ kind: 'unsubscribe', channels }];
  return channels.length === 0
    ? []
    : [{ does: 'clear-between', lanes: channels.length, pairs: pairs.length, commands }];
}

/** Takes the field's grandmaster for the plan's: a step better than the planned one in priority 1. */
function leadAsFound(plan: PlanOf<'models' | 'devices' | 'clocks'>, foundId: string, plannedId: string): ClockFix[] {
  const planned = settingsOf(plan, plannedId);
  if (planned === null || planned.priority1 === 0 || plannedClock(plan, foundId)?.ability.mayLead !== true) return [];
  const change = {
    clientOnly: false,
    runsPtp: true,
    priority1: planned.priority1 - 1,
    domainNumber: planned.domainNumber,
  };
  return [{ does: 'lead-as-found', deviceId: foundId, commands: changeOf(plan, foundId, change) }];
}

/** The whole clock plan again. */
function clockPlan(plan: Plan): ClockFix[] {
  const { commands } = proposeClocks(plan, topologyOf(plan));
  return commands.length === 0 ? [] : [{ does: 'clock-plan', commands }];
}

/** The clock that would come next by chance, or the best other one, told that it is the spare. */
function nextInLine(
  plan: PlanOf<'models' | 'devices' | 'clocks'>,
  masterId: string,
  nextId: string | null,
): ClockFix[] {
  const master = settingsOf(plan, masterId);
  const deviceId = nextId;
  if (master === null || deviceId === null || master.priority1 >= 126) return [];
  const change = { clientOnly: false, priority1: master.priority1 + 1, domainNumber: master.domainNumber };
  const commands = changeOf(plan, deviceId, change);
  return commands.length === 0 ? [] : [{ does: 'next-in-line', deviceId, commands }];
}

/** Who could pass time into a subnet: routers with an address there, then devices in it that ask across routers. */
function relayFixes(
  plan: PlanOf<'settings' | 'models' | 'subnets' | 'devices' | 'links' | 'switches' | 'clocks' | 'interfaces'>,
  subnetId: string,
  masters: readonly string[],
  except?: string,
): ClockFix[] {
  const topology = topologyOf(plan);
  const askFor = masters.length > 0 ? masters : likelyMasters(plan);
  const fixes: ClockFix[] = [];
  for (const deviceId of topology.routes.routersOf(subnetId)) {
    const found = plannedClock(plan, deviceId);
    if (deviceId === except || found?.ability.relays !== 'boundary') continue;
    if (found.settings.runsPtp && found.settings.relay === 'boundary') continue;
    const commands = changeOf(plan, deviceId, { runsPtp: true, relay: 'boundary' });
    fixes.push({ does: 'relay', deviceId, subnetId, by: 'boundary', commands });
  }
  for (const deviceId of [...plan.devices.keys()].sort()) {
    const found = plannedClock(plan, deviceId);
    if (deviceId === except || found?.ability.relays !== 'unicast' || askFor.includes(deviceId)) continue;
    const isThere = [...(plan.interfaces.get(deviceId)?.values() ?? [])].some(
      (i) => i.subnetId === subnetId && (i.name === 'A' || i.name === 'B'),
    );
    const unicastMasterIds = askFor.filter((id) => canReach(plan, topology, deviceId, id));
    if (!isThere || unicastMasterIds.length === 0) continue;
    const priority1 = Math.min(found.settings.priority1, 128);
    const commands = changeOf(plan, deviceId, {
      runsPtp: true,
      relay: 'unicast',
      unicastMasterIds,
      clientOnly: false,
      priority1,
    });
    fixes.push({ does: 'relay', deviceId, subnetId, by: 'unicast', commands });
  }
  return fixes.slice(0, 4);
}

/** The clocks that the plan has told to lead, the first choice first. */
function likelyMasters(plan: PlanOf<'models' | 'devices' | 'clocks'>): string[] {
  return [...plan.clocks.values()]
    .filter((c) => !c.clientOnly && plannedClock(plan, c.id)?.ability.mayLead === true && c.relay === 'none')
    .sort((a, b) => a.priority1 - b.priority1 || a.priority2 - b.priority2 || (a.id < b.id ? -1 : 1))
    .slice(0, 2)
    .map((c) => c.id);
}
