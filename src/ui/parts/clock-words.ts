import type { ClockProfile, ReferenceKind, RelayKind, WhenReferenceLost } from '@/core/clocks/clock-ability';
import { clockIdentityText, type ComparedField } from '@/core/clocks/dataset';
import type { MediaClock, MediaClockState, Origin } from '@/core/clocks/media-clock';
import type { IntervalField } from '@/core/clocks/profiles';
import type { ClockChoice, LeadReason } from '@/core/clocks/propose';
import type { ReferenceProblem } from '@/core/clocks/reference-state';
import type { ClockStep } from '@/core/clocks/take-over';
import type { PortState } from '@/core/clocks/best-master';
import type { ClockFix } from '@/core/findings/clock-fix';
import type { ClockSubject } from '@/core/findings/clock-subject';
import type { Plan } from '@/core/plan/plan';
import type { MediaClockSource } from '@/core/clocks/clocks-table';
import { deviceName, deviceNames } from './names';
import { subnetName } from './network-words';
import { count, kHz } from './units';

/** The words for who keeps time and what samples are paced by. */

export const PROFILE_WORDS: Readonly<Record<ClockProfile, string>> = {
  aes67: 'AES67 media profile',
  st2059: 'ST 2059-2',
  common: 'Common subset (AES-R16)',
};
export const SHORT_PROFILE_WORDS: Readonly<Record<ClockProfile, string>> = {
  aes67: 'AES67',
  st2059: 'ST 2059-2',
  common: 'common',
};
export const REFERENCE_WORDS: Readonly<Record<ReferenceKind, string>> = {
  gnss: 'GNSS',
  'word-clock': 'Word clock',
  aes3: 'AES3',
  madi: 'MADI',
  'black-burst': 'Black burst',
};
export const RELAY_WORDS: Readonly<Record<RelayKind, string>> = {
  none: 'no',
  boundary: 'as boundary clock',
  unicast: 'by unicast negotiation',
};
export const MEDIA_CLOCK_WORDS: Readonly<Record<MediaClockSource, string>> = {
  ptp: 'the network’s time',
  references: 'references in turn',
  own: 'its own oscillator',
};
export const WHEN_LOST_WORDS: Readonly<Record<WhenReferenceLost, string>> = {
  'hold-over': 'goes into holdover',
  'next-reference': 'tries the next reference',
  'run-free': 'runs free without saying so',
  stop: 'stops',
};
export const PORT_WORDS: Readonly<Record<PortState, string>> = {
  leads: 'leads',
  follows: 'follows',
  passive: 'standby',
  listening: 'listens',
};
export const FIELD_WORDS: Readonly<Record<ComparedField, string>> = {
  priority1: 'Priority 1',
  clockClass: 'Clock class',
  clockAccuracy: 'Accuracy',
  offsetScaledLogVariance: 'Variance',
  priority2: 'Priority 2',
  clockIdentity: 'Identity',
};
export const INTERVAL_WORDS: Readonly<Record<IntervalField, string>> = {
  logAnnounceInterval: 'announce interval',
  logSyncInterval: 'sync interval',
  logDelayRequestInterval: 'delay request interval',
  announceTimeout: 'announce time-out',
};
const MEDIA_STATE_WORDS: Readonly<Record<MediaClockState, string>> = {
  network: 'follows the network’s time',
  reference: 'locked to a reference',
  'hold-over': 'in holdover',
  own: 'own oscillator',
  free: 'runs free',
  stopped: 'stopped',
};
const PROBLEM_WORDS: Readonly<Record<ReferenceProblem, string>> = {
  'not-fed': 'no feed',
  lost: 'it is lost',
  'giver-lost': 'its source device is lost',
  'no-input': 'the model has no input for it',
  'wrong-rate': 'it does not have the rate needed',
  loop: 'it comes from this device itself',
  'giver-stopped': 'its source device has stopped',
};
const LEAD_WORDS: Readonly<Record<LeadReason, string>> = {
  gnss: 'it is locked to GNSS',
  locked: 'it is locked to an outside reference',
  dedicated: 'it is a dedicated clock',
  console: 'it is a console, and nothing better may lead',
  device: 'nothing better may lead',
  endpoint: 'no other device may lead at all',
};

/** An interval of 2 to the power of so many seconds: `1 s`, `125 ms`. */
export function intervalWords(log: number): string {
  return log >= 0 ? `${2 ** log} s` : `${Number((1000 * 2 ** log).toFixed(2))} ms`;
}

export function intervalValue(field: IntervalField, value: number): string {
  return field === 'announceTimeout' ? `${value} intervals` : intervalWords(value);
}

export function secondsWords(seconds: number): string {
  if (seconds >= 7200) return `${Number((seconds / 3600).toFixed(1))} h`;
  if (seconds >= 180) return `${Math.round(seconds / 60)} min`;
  return `${Number(seconds.toFixed(seconds < 10 ? 2 : 0))} s`;
}

/** `every 2.08 s`, `every 14 min`: how often a sample is dropped or repeated. */
export function slipWords(seconds: number): string {
  if (seconds < 120) return `every ${Number(seconds.toFixed(2))} s`;
  if (seconds < 7200) return `every ${Math.round(seconds / 60)} min`;
  return `every ${Math.round(seconds / 3600)} h`;
}

export function referenceName(plan: Plan, id: string): string {
  return plan.references.get(id)?.name ?? id;
}
export function groupName(plan: Plan, id: string): string {
  return plan.clockGroups.get(id)?.name ?? id;
}
export function problemWords(plan: Plan, tried: { referenceId: string; problem: ReferenceProblem }): string {
  return `${referenceName(plan, tried.referenceId)}: ${PROBLEM_WORDS[tried.problem]}`;
}

export function originWords(plan: Plan, origin: Origin): string {
  switch (origin.kind) {
    case 'gnss':
      return 'GNSS';
    case 'reference':
      return referenceName(plan, origin.referenceId);
    case 'oscillator':
      return `oscillator of ${deviceName(plan, origin.deviceId)}`;
    case 'stopped':
      return 'nothing';
  }
}

/** What paces a device's samples, in one line. */
export function paceWords(plan: Plan, media: MediaClock): string {
  switch (media.state) {
    case 'network':
      return `network, from ${originWords(plan, media.origin)}`;
    case 'reference':
      return `${referenceName(plan, media.referenceId ?? '')}${media.origin.kind === 'oscillator' ? `, from the ${originWords(plan, media.origin)}` : ''}`;
    default:
      return MEDIA_STATE_WORDS[media.state];
  }
}

export function clockTitle(plan: Plan, f: ClockSubject & { readonly deviceIds: readonly string[] }): string {
  const first = deviceName(plan, f.deviceIds[0] ?? '');
  switch (f.about) {
    case 'two-grandmasters': {
      const [a, b] = f.grandmasterIds;
      const where = f.subnetIds.length > 0 ? ` in ${f.subnetIds.map((id) => subnetName(plan, id)).join(' and ')}` : '';
      const harm = f.areSynchronous ? ', both with the second of GNSS' : '';
      return `Two grandmasters in domain ${f.domainNumber}: ${deviceName(plan, a)}, and ${deviceName(plan, b)}${where}${harm}`;
    }
    case 'clock-tie':
      return f.isIdentityKnown
        ? `${deviceNames(plan, f.deviceIds, 4)} are equal in all but identity: ${deviceName(plan, f.winnerId)} leads by its identity alone`
        : `${deviceNames(plan, f.deviceIds, 4)} are equal in all but identity, which the plan does not know: any of them may lead`;
    case 'priorities-default':
      return `${count(f.count, 'clock')} that may lead all have the default priorities: the choice of grandmaster is left to chance`;
    case 'leader-only-follows':
      if (f.ignoresId !== null) {
        return `${first} only follows, and its priority 1 of ${f.priority1} is better than that of ${deviceName(plan, f.ignoresId)}: it follows no clock`;
      }
      return f.canLead
        ? `${first} has priority 1 of ${f.priority1} and is set to follow only`
        : `${first} has priority 1 of ${f.priority1}, and its model can only follow`;
    case 'battery-grandmaster':
      return `${first} runs on a battery and is grandmaster for ${count(f.followers, 'device')}`;
    case 'subnet-no-time':
      if (!f.isTimeElsewhere) {
        return `${subnetName(plan, f.subnetId)}: ${count(f.devices, 'device')} only ${f.devices === 1 ? 'follows' : 'follow'}, and nothing in the plan may be grandmaster: add a clock that may lead`;
      }
      return `${subnetName(plan, f.subnetId)}: no boundary clock into it, so ${count(f.devices, 'device')} ${f.devices === 1 ? 'has' : 'have'} no time`;
    case 'relay-no-spare':
      return `${subnetName(plan, f.subnetId)}: ${deviceName(plan, f.relayId)} is the only boundary clock into it; without it ${count(f.devices, 'device')} ${f.devices === 1 ? 'is' : 'are'} unsynchronised`;
    case 'time-through-switch': {
      const why = [
        f.sharesQueue ? 'with one queue for all traffic' : '',
        f.savesEnergy ? 'over energy-saving links' : '',
      ];
      return `${first} has no PTP and passes the time of ${count(f.devices, 'device')} ${why.filter(Boolean).join(' and ')}`;
    }
    case 'relay-unreachable':
      return `${deviceName(plan, f.relayId)} has ${deviceName(plan, f.masterId)} as unicast master, and nothing routes between the two`;
    case 'profile-unmet':
      return `${deviceNames(plan, f.deviceIds)} ${f.deviceIds.length === 1 ? 'does' : 'do'} not accept the intervals of ${deviceName(plan, f.leaderId)}`;
    case 'intervals-differ': {
      const own = f.values.map((v) => intervalValue(f.field, v)).join(' and ');
      return `${deviceNames(plan, f.deviceIds)}: ${INTERVAL_WORDS[f.field]} of ${own} under ${deviceName(plan, f.leaderId)}, which has ${intervalValue(f.field, f.leaderValue)}`;
    }
    case 'domains-differ':
      return `${deviceNames(plan, f.deviceIds)} ${f.deviceIds.length === 1 ? 'is' : 'are'} in PTP domain ${f.domainNumber}, and ${subnetName(plan, f.subnetId)} uses domain ${f.usualDomain}`;
    case 'reference-missing': {
      const without = MEDIA_STATE_WORDS[f.state];
      const why = f.tried.length > 0 ? f.tried.map((t) => problemWords(plan, t)).join('; ') : 'none is named';
      return `${first} ${f.leads ? 'may lead and ' : ''}is set to follow a reference (${why}), and ${without}`;
    }
    case 'reference-rate':
      return `${referenceName(plan, f.referenceId)} has ${kHz(f.referenceRateHz)} kHz, from which ${first} cannot make ${kHz(f.wantedRateHz)} kHz`;
    case 'rate-not-of-group':
      return `${deviceNames(plan, f.deviceIds)} ${f.deviceIds.length === 1 ? 'runs' : 'run'} at ${kHz(f.rateHz)} kHz and ${f.deviceIds.length === 1 ? 'its' : 'their'} clock group ${groupName(plan, f.groupId)} at ${kHz(f.groupRateHz)} kHz`;
    case 'group-no-authority':
      return `Nobody decides the rate of ${groupName(plan, f.groupId)} (${count(f.members, 'device')})`;
    case 'free-running': {
      const lanes = f.pairs.reduce((sum, p) => sum + p.lanes, 0);
      const pair = f.pairs[0];
      const who = pair ? `${deviceName(plan, pair.senderId)} and ${deviceName(plan, pair.receiverId)}` : '';
      const more = f.pairs.length > 1 ? ` and ${count(f.pairs.length - 1, 'other pair')}` : '';
      if (f.isStopped) return `${count(lanes, 'lane')} between ${who}${more}: a clock has stopped`;
      return `${count(lanes, 'lane')} between ${who}${more} without SRC and on different clocks: a sample slips ${slipWords(f.slipSeconds)} at ${Number(f.partsPerMillion.toFixed(2))} ppm`;
    }
    case 'free-running-sides':
      return `${first}: its other side, ${groupName(plan, f.groupId)}, has its own clock, with no sample-rate converter between: a sample slips ${slipWords(f.slipSeconds)} at ${Number(f.partsPerMillion.toFixed(2))} ppm`;
    case 'grandmaster-no-spare': {
      const legs = f.isOnBothLegs ? ' on both legs' : '';
      if (f.nextId === null)
        return `${first} is grandmaster${legs} and has no spare: ${count(f.devicesWithoutTime, 'device')} would be without one`;
      return f.devicesWithoutTime > 0
        ? `${first} is grandmaster${legs}; without it ${count(f.devicesWithoutTime, 'device')} would be without one`
        : `${first} is grandmaster${legs} and has no spare: ${deviceName(plan, f.nextId)} would lead by chance`;
    }
    case 'field-grandmaster': {
      const found =
        f.foundId === null ? `an unknown clock (${clockIdentityText(f.foundGmid)})` : deviceName(plan, f.foundId);
      return `In the field ${deviceNames(plan, f.deviceIds)} ${f.deviceIds.length === 1 ? 'follows' : 'follow'} ${found}; the plan has ${deviceName(plan, f.plannedId)}`;
    }
    case 'field-two-grandmasters':
      return `The field has ${f.masters.length} grandmasters: ${f.masters
        .map(
          (m) =>
            `${m.deviceId === null ? clockIdentityText(m.gmid) : deviceName(plan, m.deviceId)} (${count(m.devices, 'device')})`,
        )
        .join(' and ')}`;
    case 'version-1-alone':
      return `${deviceNames(plan, f.deviceIds)} ${f.deviceIds.length === 1 ? 'speaks' : 'speak'} only PTPv1, and no device in ${subnetName(plan, f.subnetId)} speaks both`;
  }
}

export function clockFixWords(plan: Plan, fix: ClockFix): string {
  switch (fix.does) {
    case 'clock-plan':
      return 'Propose the whole clock plan';
    case 'relay':
      return `Use ${deviceName(plan, fix.deviceId)} as time relay into ${subnetName(plan, fix.subnetId)} (${RELAY_WORDS[fix.by]})`;
    case 'ask-only-reachable':
      return `Keep only the unicast masters that ${deviceName(plan, fix.deviceId)} can reach`;
    case 'set-priority2':
      return `Give ${deviceName(plan, fix.deviceId)} priority 2 of ${fix.priority2}`;
    case 'next-in-line':
      return `Make ${deviceName(plan, fix.deviceId)} the spare`;
    case 'only-follow':
      return `Set ${deviceName(plan, fix.deviceId)} to follow only`;
    case 'may-lead':
      return `Let ${deviceName(plan, fix.deviceId)} lead`;
    case 'use-intervals':
      return `Give ${deviceNames(plan, fix.deviceIds)} the intervals of ${deviceName(plan, fix.leaderId)}`;
    case 'set-domain':
      return `Put ${deviceNames(plan, fix.deviceIds)} into domain ${fix.domainNumber}`;
    case 'feed-reference':
      return `Feed ${referenceName(plan, fix.referenceId)}`;
    case 'follow':
      return `Let ${deviceNames(plan, fix.deviceIds)} follow ${MEDIA_CLOCK_WORDS[fix.mediaClock]}`;
    case 'set-rates':
      return `Run ${deviceNames(plan, fix.deviceIds)} at ${kHz(fix.rateHz)} kHz`;
    case 'own-group':
      return `Give ${deviceNames(plan, fix.deviceIds)} a clock group of ${kHz(fix.rateHz)} kHz`;
    case 'join-group':
      return `Put ${deviceNames(plan, fix.deviceIds)} into ${groupName(plan, fix.groupId)}`;
    case 'set-authority':
      return `Let ${deviceName(plan, fix.deviceId)} decide the rate of ${groupName(plan, fix.groupId)}`;
    case 'leave-side':
      return `Remove the other side of ${deviceName(plan, fix.deviceId)} from ${groupName(plan, fix.groupId)}`;
    case 'clear-between':
      return `Clear the ${count(fix.lanes, 'lane')} between ${count(fix.pairs, 'pair')} of devices`;
    case 'lead-as-found':
      return `Plan ${deviceName(plan, fix.deviceId)} as grandmaster, as found`;
    case 'stop-ptp':
      return `Plan ${deviceNames(plan, fix.deviceIds)} without PTP`;
  }
}

export function choiceWords(plan: Plan, c: ClockChoice): string {
  switch (c.what) {
    case 'grandmaster':
      return `${deviceName(plan, c.deviceId)} is grandmaster: ${LEAD_WORDS[c.because]}. It serves ${c.subnetIds.map((id) => subnetName(plan, id)).join(' and ')}.`;
    case 'spare':
      return `${deviceName(plan, c.deviceId)} is the spare: ${LEAD_WORDS[c.because]}${c.isBesideGrandmaster ? ', in the same place as the first, as nothing else may lead' : ', in another place'}.`;
    case 'no-grandmaster':
      return 'No device of this plan may be grandmaster: add a master clock.';
    case 'no-spare':
      return 'No second device may lead: the grandmaster has no spare.';
    case 'relay':
      return `${subnetName(plan, c.subnetId)}: ${deviceName(plan, c.deviceId)} is the relay into it, ${RELAY_WORDS[c.by]}.`;
    case 'spare-relay':
      return `${subnetName(plan, c.subnetId)}: ${deviceName(plan, c.deviceId)} is the spare relay, ${RELAY_WORDS[c.by]}.`;
    case 'no-relay':
      return `${subnetName(plan, c.subnetId)}: nothing there can be a relay. A boundary clock, or a device with unicast negotiation, is needed.`;
    case 'no-spare-relay':
      return `${subnetName(plan, c.subnetId)}: no second device can be a relay.`;
    case 'profile':
      return `${PROFILE_WORDS[c.profile]} in domain ${c.domainNumber}: ${c.refuse.length === 0 ? `all ${c.accept} accept it` : `${c.accept} accept it, ${deviceNames(plan, c.refuse)} ${c.refuse.length === 1 ? 'does' : 'do'} not`}.`;
    case 'followers':
      return `${count(c.count, 'device')} only ${c.count === 1 ? 'follows' : 'follow'}, so that no tie can arise.`;
    case 'authority': {
      const who =
        c.authority?.kind === 'reference'
          ? referenceName(plan, c.authority.id)
          : deviceName(plan, c.authority?.id ?? '');
      const why = {
        stated: 'as the plan says',
        console: 'it is the console',
        player: 'it is the playback host',
        grandmaster: 'it is grandmaster',
        only: 'it is in the group',
      }[c.because];
      return `${c.groupName}, ${kHz(c.rateHz)} kHz: ${who} decides the rate (${why}).`;
    }
  }
}

/** A grandmaster of the field by the name that the plan has for it. */
export function grandmasterName(plan: Plan, gmid: string | null): string {
  if (gmid === null) return 'none';
  for (const { id, clockIdentity } of plan.clocks.values()) if (clockIdentity === gmid) return deviceName(plan, id);
  return clockIdentityText(gmid);
}

/** What one device, or several alike, go through. */
export function stepWords(plan: Plan, step: ClockStep, isMany = false): string {
  const parent = step.parentId === null ? '' : deviceName(plan, step.parentId);
  switch (step.what) {
    case 'leads':
      return isMany ? 'become grandmasters' : 'becomes grandmaster';
    case 'follows':
      return `${isMany ? 'follow' : 'follows'} ${deviceName(plan, step.grandmasterId ?? '')}${step.parentId !== step.grandmasterId ? ` through ${parent}` : ''}`;
    case 'other-way':
      return `${isMany ? 'keep' : 'keeps'} the same grandmaster, now through ${parent}`;
    case 'stands-by':
      return isMany ? 'run on their own time as standby' : 'runs on its own time as standby';
    case 'alone':
      return isMany ? 'are unsynchronised' : 'is unsynchronised';
  }
}
