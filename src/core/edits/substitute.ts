import { sameValue } from '../plan/same-value';
import type { Command } from '../plan/commands';
import { subscriptionsOf, type PlanOf } from '../plan/plan';
import type { Patch } from '../patch/patches-table';
import type { SubstitutedLane, SubstitutedStrip, Substitution } from '../patch/substitutions-table';

type SubstituteTables = PlanOf<'devices' | 'models' | 'patches' | 'subscriptions' | 'substitutions'>;

interface SubstituteStep {
  readonly commands: readonly Command[];
  /** Channels that are left as they are, as somebody feeds them otherwise by now. */
  readonly left: number;
}

const patchNow = (plan: SubstituteTables, s: SubstitutedStrip): Patch | undefined =>
  plan.patches.get(s.deviceId)?.get(`${s.terminalId}/${s.channel}`);

const laneNow = (plan: SubstituteTables, l: SubstitutedLane) =>
  subscriptionsOf(plan, l.receiverDeviceId).get(l.receiverChannel);

/** The channels fed from their substitutes, with what fed them before noted down. In force already: nothing. */
export function beginSubstitution(
  plan: SubstituteTables,
  substitution: Substitution,
  by: string,
  since: number,
): SubstituteStep {
  if (substitution.since !== null) return { commands: [], left: 0 };
  const strips = substitution.strips.map((s) => {
    const patch = patchNow(plan, s);
    return { ...s, was: patch === undefined ? null : { from: patch.from, tap: patch.tap } };
  });
  const lanes = substitution.lanes.map((l) => {
    const now = laneNow(plan, l);
    return { ...l, wasSenderDeviceId: now?.senderDeviceId ?? null, wasSenderChannel: now?.senderChannel ?? null };
  });
  const patches = strips.map((s): Command => ({ kind: 'put-patch', patch: substitutePatch(s) }));
  const subscriptions = lanes.map(({ receiverDeviceId, receiverChannel, senderDeviceId, senderChannel }) => ({
    receiverDeviceId,
    receiverChannel,
    senderDeviceId,
    senderChannel,
  }));
  const commands: Command[] = [
    ...patches,
    ...(subscriptions.length === 0 ? [] : [{ kind: 'subscribe', subscriptions } as const]),
    { kind: 'put-substitution', substitution: { ...substitution, strips, lanes, by, since } },
  ];
  return { commands, left: 0 };
}

function substitutePatch({ deviceId, terminalId, channel, fromTerminalId, fromChannel }: SubstitutedStrip): Patch {
  return { deviceId, terminalId, channel, from: { terminalId: fromTerminalId, channel: fromChannel }, tap: null };
}

/** The later substitutions of the same channels, which then fall back to what fed them before this one: with what they noted down corrected. */
function laterOnes(plan: SubstituteTables, ended: Substitution): Substitution[] {
  return [...plan.substitutions.values()].flatMap((other): Substitution[] => {
    if (other.id === ended.id || other.since === null) return [];
    let isOnTop = false;
    const strips = other.strips.map((s) => {
      const own = ended.strips.find(
        (e) => e.deviceId === s.deviceId && e.terminalId === s.terminalId && e.channel === s.channel,
      );
      const { from, tap } = own === undefined ? { from: null, tap: null } : substitutePatch(own);
      if (own === undefined || !sameValue(s.was, { from, tap })) return s;
      isOnTop = true;
      return { ...s, was: own.was };
    });
    const lanes = other.lanes.map((l) => {
      const own = ended.lanes.find(
        (e) => e.receiverDeviceId === l.receiverDeviceId && e.receiverChannel === l.receiverChannel,
      );
      if (own === undefined || l.wasSenderDeviceId !== own.senderDeviceId || l.wasSenderChannel !== own.senderChannel)
        return l;
      isOnTop = true;
      return { ...l, wasSenderDeviceId: own.wasSenderDeviceId, wasSenderChannel: own.wasSenderChannel };
    });
    return isOnTop ? [{ ...other, strips, lanes }] : [];
  });
}

/**
 * All fed again as before. What somebody feeds otherwise by now stays as it is; where that is a later substitution, it ends in what was before this
 * one. A substitution that is kept stays in the list.
 */
export function endSubstitution(plan: SubstituteTables, substitution: Substitution): SubstituteStep {
  const commands: Command[] = [];
  let left = 0;
  if (substitution.since !== null) {
    const later = laterOnes(plan, substitution);
    const isCovered = (s: SubstitutedStrip) =>
      later.some((o) =>
        o.strips.some((t) => t.deviceId === s.deviceId && t.terminalId === s.terminalId && t.channel === s.channel),
      );
    const isLaneCovered = (l: SubstitutedLane) =>
      later.some((o) =>
        o.lanes.some((t) => t.receiverDeviceId === l.receiverDeviceId && t.receiverChannel === l.receiverChannel),
      );
    for (const changed of later) commands.push({ kind: 'put-substitution', substitution: changed });
    for (const s of substitution.strips) {
      const { deviceId, terminalId, channel, was } = s;
      if (isCovered(s)) continue;
      if (!sameValue(patchNow(plan, s), substitutePatch(s))) left += 1;
      else if (was === null) commands.push({ kind: 'remove-patch', deviceId, terminalId, channel });
      else commands.push({ kind: 'put-patch', patch: { deviceId, terminalId, channel, ...was } });
    }
    for (const l of substitution.lanes) {
      const { receiverDeviceId, receiverChannel, wasSenderDeviceId, wasSenderChannel } = l;
      if (isLaneCovered(l)) continue;
      const now = laneNow(plan, l);
      if (now?.senderDeviceId !== l.senderDeviceId || now.senderChannel !== l.senderChannel) left += 1;
      else if (wasSenderDeviceId === null || wasSenderChannel === null) {
        commands.push({ kind: 'unsubscribe', channels: [{ deviceId: receiverDeviceId, channel: receiverChannel }] });
      } else {
        const lane = {
          receiverDeviceId,
          receiverChannel,
          senderDeviceId: wasSenderDeviceId,
          senderChannel: wasSenderChannel,
        };
        commands.push({ kind: 'subscribe', subscriptions: [lane] });
      }
    }
  }
  const ended: Command = substitution.isKept
    ? {
        kind: 'put-substitution',
        substitution: {
          ...substitution,
          by: null,
          since: null,
          strips: substitution.strips.map((s) => ({ ...s, was: null })),
          lanes: substitution.lanes.map((l) => ({ ...l, wasSenderDeviceId: null, wasSenderChannel: null })),
        },
      }
    : { kind: 'remove-substitution', substitutionId: substitution.id };
  return { commands: [...commands, ended], left };
}
