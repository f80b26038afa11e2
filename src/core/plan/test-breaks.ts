import fc from 'fast-check';
import { plannedClock } from '../clocks/clock-settings';
import { switchSettingsOf } from '../network/switch-settings';
import { applyCommands } from './apply-commands';
import type { Command } from './commands';
import type { Plan } from './plan';
import { CABLES } from '../network/links-table';
import { isRouted } from '../network/interfaces-table';
import type { ClockSettings } from '../clocks/clocks-table';

/** Mistakes for tests: what people in a hurry do to a plan, any of them in any order. */

type Break = (plan: Plan) => Command | null;

const nth = <T>(items: Iterable<T>, n: number): T | undefined => {
  const all = [...items];
  return all[n % Math.max(1, all.length)];
};

const which = fc.nat({ max: 9999 });

const addressMistake = fc
  .record({ n: which, host: fc.integer({ min: 1, max: 254 }), other: which, what: fc.nat({ max: 3 }) })
  .map(({ n, host, other, what }): Break => (plan) => {
    const owned = [...plan.interfaces.values()].flatMap((i) => [...i.values()]);
    const i = nth(owned, n);
    if (i === undefined) return null;
    if (what === 0) return { kind: 'remove-interface', deviceId: i.deviceId, name: i.name };
    const address = [
      null,
      (i.address ?? '10.0.0.0').replace(/\d+$/, String(host)),
      nth(owned, other)?.address ?? null,
      `192.168.7.${host}`,
    ][what];
    return { kind: 'put-interface', interface: { ...i, address: address ?? null } };
  });

const cableMistake = fc
  .record({
    n: which,
    other: which,
    what: fc.nat({ max: 5 }),
    cable: fc.constantFrom(...CABLES),
    metres: fc.integer({ min: 0, max: 400 }),
  })
  .map(({ n, other, what, cable, metres }): Break => (plan) => {
    const link = nth(plan.links.values(), n);
    const another = nth(plan.links.values(), other);
    if (link === undefined || another === undefined) return null;
    if (what === 0) return { kind: 'remove-link', linkId: link.id };
    const change = [
      { cable, metres },
      { bitsPerSecond: [1e7, 1e8, 1e9, 1e10][other % 4] as number },
      { to: another.to },
      { duplex: 'half' as const },
      { carries: [], setAsidePercent: other % 100 },
    ][what - 1];
    return { kind: 'put-link', link: { ...link, ...change } };
  });

const switchMistake = fc
  .record({
    n: which,
    is: fc.boolean(),
    what: fc.constantFrom('snooping', 'trustsDscp', 'energySaving', 'spanningTree', 'multicastRouting'),
  })
  .map(({ n, is, what }): Break => (plan) => {
    const ids = [...plan.devices.values()].filter((d) => plan.models.get(d.modelId)?.switching).map((d) => d.id);
    const id = nth(ids, n);
    const settings = id === undefined ? undefined : switchSettingsOf(plan, id);
    return settings ? { kind: 'put-switch', settings: { ...settings, [what]: is } } : null;
  });

const subnetMistake = fc
  .record({ n: which, other: which, what: fc.nat({ max: 4 }) })
  .map(({ n, other, what }): Break => (plan) => {
    const subnet = nth(plan.subnets.values(), n);
    if (subnet === undefined) return null;
    const base = subnet.cidr.split('/')[0] as string;
    const switches = [...plan.devices.values()].filter((d) => plan.models.get(d.modelId)?.switching);
    const change = [
      { querierIds: [] },
      { querierIds: [...subnet.querierIds, nth(switches, other)?.id ?? ''] },
      { gateway: base.replace(/\d+$/, '250') },
      { cidr: nth(plan.subnets.values(), other)?.cidr ?? subnet.cidr },
      { dhcp: { first: base.replace(/\d+$/, '2'), last: base.replace(/\d+$/, '60') } },
    ][what];
    return { kind: 'put-subnet', subnet: { ...subnet, ...change } };
  });

const deviceMistake = fc
  .record({ n: which, other: which, what: fc.nat({ max: 4 }) })
  .map(({ n, other, what }): Break => (plan) => {
    const device = nth(plan.devices.values(), n);
    if (device === undefined) return null;
    if (what === 0) return { kind: 'remove-device', deviceId: device.id };
    const change = [
      { rateHz: 96_000 },
      { linkOffsetNs: 125_000 },
      { name: nth(plan.devices.values(), other)?.name ?? device.name },
      { sendsUnicast: true },
    ][what - 1] as object;
    return { kind: 'change-device', deviceId: device.id, change };
  });

const wireMistake = fc
  .record({ n: which, other: which, what: fc.nat({ max: 3 }) })
  .map(({ n, other, what }): Break => (plan) => {
    if (what === 0) return { kind: 'change-settings', settings: { multicastTtl: 1 } };
    if (what === 1) return { kind: 'change-settings', settings: { poolA: '239.9.9.0/30' } };
    if (what === 2) {
      const senderDeviceId = nth(
        [...plan.subscriptions.values()].flatMap((s) => [...s.values()]),
        n,
      )?.senderDeviceId;
      if (senderDeviceId === undefined) return null;
      const groupA = ['239.1.0.1', '224.0.0.9', '239.129.0.1'][other % 3] as string;
      return {
        kind: 'put-group-choice',
        choice: { senderDeviceId, streamNumber: 1 + (other % 2), groupA, groupB: null },
      };
    }
    const router = nth(
      [...plan.interfaces.values()].flatMap((i) => [...i.values()]).filter((i) => isRouted(i)),
      n,
    );
    return router ? { kind: 'remove-interface', deviceId: router.deviceId, name: router.name } : null;
  });

/** What goes wrong with time: priorities, domains, intervals, relays, references, groups and rates. */
const clockMistake = fc
  .record({ n: which, other: which, what: fc.nat({ max: 13 }) })
  .map(({ n, other, what }): Break => (plan) => {
    const ids = [...plan.devices.keys()].filter((id) => plannedClock(plan, id) !== null);
    const settings = plannedClock(plan, nth(ids, n) ?? '')?.settings;
    const reference = nth(plan.references.values(), other);
    const group = nth(plan.clockGroups.values(), other);
    if (settings === undefined || reference === undefined || group === undefined) return null;
    if (what === 0) return { kind: 'put-reference', reference: { ...reference, isFed: false } };
    if (what === 1) return { kind: 'remove-reference', referenceId: reference.id };
    if (what === 2) return { kind: 'put-clock-group', group: { ...group, authority: null } };
    if (what === 3) return { kind: 'remove-clock-group', groupId: group.id };
    const change = [
      { priority1: [1, 10, 20, 128][other % 4] as number, clientOnly: false },
      { priority1: 128, priority2: 128, clientOnly: false },
      { domainNumber: other % 2 === 0 ? 0 : 127 },
      { clientOnly: true },
      { logAnnounceInterval: [-2, 1][other % 2] as number },
      { relay: 'none' as const, unicastMasterIds: [] },
      { mediaClock: 'references' as const, referenceIds: [reference.id] },
      { mediaClock: 'own' as const },
      { runsPtp: false },
      { groupId: group.id, secondGroupId: nth(plan.clockGroups.keys(), n) ?? null, clockIdentity: null },
    ][what - 4] as Partial<ClockSettings>;
    return { kind: 'put-clock', settings: { ...settings, ...change } };
  });

const owned = <T>(table: ReadonlyMap<string, ReadonlyMap<string, T>>): T[] =>
  [...table.values()].flatMap((own) => [...own.values()]);

/** What goes wrong inside a device and at its sockets: patched to the wrong channel, fed back, turned up, cabled twice. */
const patchMistake = fc
  .record({ n: which, other: which, what: fc.nat({ max: 9 }) })
  .map(({ n, other, what }): Break => (plan) => {
    const patch = nth(owned(plan.patches), n);
    const settings = nth(owned(plan.channelSettings), n);
    const plugged = nth(owned(plan.pluggedIn), n);
    const send = nth(owned(plan.busSends), n);
    const cable = nth(plan.audioCables.values(), n);
    const another = nth(plan.audioCables.values(), other);
    if (!patch || !settings || !plugged || !send || !cable || !another) return null;
    const from = nth(
      owned(plan.patches).filter((p) => p.deviceId === patch.deviceId),
      other,
    )?.from;
    const made: readonly Command[] = [
      { kind: 'put-patch', patch: { ...patch, from: null } },
      { kind: 'put-patch', patch: { ...patch, from: from ?? null } },
      { kind: 'put-patch', patch: { ...patch, channel: 1 + (other % 8) } },
      { kind: 'put-bus-send', send: { ...send, fromTerminalId: send.terminalId, fromChannel: send.channel } },
      { kind: 'put-bus-send', send: { ...send, levelDb: [-60, 10, 40][other % 3] as number } },
      { kind: 'put-channel-settings', settings: { ...settings, gainDb: other % 80 } },
      { kind: 'put-channel-settings', settings: { ...settings, asksTap: 'before-equaliser' } },
      { kind: 'put-plugged-in', plugged: { ...plugged, payload: 'data-reduced' } },
      { kind: 'put-audio-cable', cable: { ...cable, to: another.to } },
      { kind: 'remove-audio-cable', cableId: cable.id },
    ];
    return made[what] ?? null;
  });

/** Blocks of slots that two units choose, that nobody talks on, or that a unit leaves; and a substitute that was never ended. */
const slotMistake = fc
  .record({ n: which, other: which, what: fc.nat({ max: 4 }) })
  .map(({ n, other, what }): Break => (plan) => {
    const unit = nth(plan.slotUnits.values(), n);
    const another = nth(plan.slotUnits.values(), other);
    const substitution = nth(plan.substitutions.values(), n);
    if (what === 4) {
      return substitution === undefined
        ? null
        : { kind: 'put-substitution', substitution: { ...substitution, by: 'Ada', since: other } };
    }
    if (unit === undefined || another === undefined) return null;
    const change = [
      { talks: another.talks.slice(0, unit.talks.length) },
      { hears: unit.hears.map(() => 1 + (other % 12)) },
      { talks: unit.talks.map(() => null) },
      { order: another.order + 1 },
    ][what];
    return { kind: 'put-slot-unit', unit: { ...unit, ...change } };
  });

const MISTAKES = {
  addresses: addressMistake,
  cables: cableMistake,
  switches: switchMistake,
  subnets: subnetMistake,
  devices: deviceMistake,
  wire: wireMistake,
  clocks: clockMistake,
  patch: patchMistake,
  slots: slotMistake,
};
type Kind = keyof typeof MISTAKES;
const KINDS = Object.keys(MISTAKES) as readonly Kind[];

/** A plan and what becomes of it mistake by mistake, with the command of each; what is not possible on the way is left out. */
interface Mistakes {
  readonly commands: readonly Command[];
  readonly plans: readonly Plan[];
}

export const mistakesIn = (plan: Plan, kinds = KINDS): fc.Arbitrary<Mistakes> =>
  fc.array(fc.oneof(...kinds.map((kind) => MISTAKES[kind])), { minLength: 1, maxLength: 6 }).map((breaks) => {
    const commands: Command[] = [];
    const plans = [plan];
    for (const make of breaks) {
      const current = plans[plans.length - 1] as Plan;
      const command = make(current);
      const result = command && applyCommands(current, [command]);
      if (!result?.ok) continue;
      commands.push(command as Command);
      plans.push(result.plan);
    }
    return { commands, plans };
  });

export const brokenPlan = (plan: Plan, kinds?: readonly Kind[]): fc.Arbitrary<Plan> =>
  mistakesIn(plan, kinds).map(({ plans }) => plans[plans.length - 1] as Plan);
