import { isIn } from '@/core/findings/areas';
import { plannedClock } from '@/core/clocks/clock-settings';
import type { KeptTime } from '@/core/clocks/kept-time';
import type { MediaClock } from '@/core/clocks/media-clock';
import { paceOfGroup } from '@/core/findings/paces';
import { membersOfGroup } from '@/core/clocks/group-rate';
import type { Finding } from '@/core/findings/finding';
import type { Plan } from '@/core/plan/plan';
import type { ClockGroup } from '@/core/clocks/clock-groups-table';
import type { ClockSettings } from '@/core/clocks/clocks-table';
import type { Device } from '@/core/plan/devices-table';
import type { Reference } from '@/core/clocks/references-table';
import { originWords, paceWords, REFERENCE_WORDS, SHORT_PROFILE_WORDS } from '@/ui/parts/clock-words';
import { deviceName } from '@/ui/parts/names';
import { filtered, type Search } from '@/ui/parts/find-text';
import { isInPlace } from '@/ui/parts/place';
import { NOTHING_WRONG, wrongBy, type Wrong } from '@/ui/parts/wrong';
import type { View } from '@/ui/session/plan-store';
import type { ClockView } from '@/workers/clock-view';

/** What the sheets of the clock stage show, row by row. */

export type ClockRole = 'grandmaster' | 'relays' | 'standby' | 'follows' | 'unsynchronised' | 'no PTP';

export interface ClockRow {
  /** What a filter looks at. */
  readonly text: string;
  readonly device: Device;
  readonly role: ClockRole;
  readonly follows: string;
  readonly steps: number | null;
  readonly settings: ClockSettings;
  readonly profile: string;
  readonly clockClass: number;
  /** What it may do as it is set. */
  readonly may: 'lead' | 'relay' | 'follow';
  readonly pace: string;
  /** Names, in the order in which they are tried. */
  readonly rateHz: number;
  readonly wrong: Wrong;
}

export function roleOf(kept: KeptTime | undefined, settings: ClockSettings): ClockRole {
  if (!settings.runsPtp) return 'no PTP';
  // One that is locked to GNSS and beaten follows nobody: it waits.
  if (kept?.grandmasterId === null && kept.isStandingBy) return 'standby';
  if (kept === undefined || kept.grandmasterId === null) return 'unsynchronised';
  if (kept.grandmasterId === kept.deviceId) return 'grandmaster';
  if (kept.isRelaying) return 'relays';
  return kept.isStandingBy && !settings.clientOnly ? 'standby' : 'follows';
}

const textOf = (row: { readonly text: string }) => row.text;

export function clockRows(
  plan: Plan,
  clocks: ClockView,
  findings: readonly Finding[],
  search: Search,
  place: string | null,
): readonly ClockRow[] {
  const wrong = wrongBy(findings, (f) => (isIn('clocks', f) ? f.deviceIds.slice(0, 1) : []));
  const rows: ClockRow[] = [];
  for (const device of plan.devices.values()) {
    const planned = plannedClock(plan, device.id);
    if (planned === null || !isInPlace(plan, device.placeId, place)) continue;
    const { settings, ability, model } = planned;
    // A switch that passes PTP on without being a clock of its own has no line here.
    if (model.switching !== null && !settings.runsPtp) continue;
    const kept = clocks.time.byDevice.get(device.id);
    const media = clocks.media.get(device.id);
    const role = roleOf(kept, settings);
    const follows = kept?.parentId == null ? '' : deviceName(plan, kept.parentId);
    // Nearly all follow the network: where its pace comes from tells more than that they do.
    const pace =
      media === undefined ? '' : media.state === 'network' ? originWords(plan, media.origin) : paceWords(plan, media);
    rows.push({
      text: `${device.name} ${role} ${follows} ${pace}`,
      device,
      role,
      follows,
      steps: kept?.stepsRemoved ?? null,
      settings,
      profile: SHORT_PROFILE_WORDS[settings.profile],
      clockClass: kept?.clockClass ?? ability.classFree,
      may: settings.relay !== 'none' ? 'relay' : settings.clientOnly || !ability.mayLead ? 'follow' : 'lead',
      pace,
      rateHz: model.ratesHz.length === 0 ? 0 : device.rateHz,
      wrong: wrong.get(device.id) ?? NOTHING_WRONG,
    });
  }
  return filtered(rows, search, textOf);
}

export interface GroupRow {
  /** What a filter looks at. */
  readonly text: string;
  readonly group: ClockGroup;
  readonly authority: string;
  readonly pace: string;
  readonly members: number;
  readonly others: number;
  readonly wrong: Wrong;
}

export function groupRows(plan: Plan, view: View, search: Search): readonly GroupRow[] {
  const wrong = wrongBy(view.findings, (f) => (isIn('clocks', f) && 'groupId' in f ? [f.groupId] : []));
  const rows = [...plan.clockGroups.values()].map((group) => {
    const { authority } = group;
    const name =
      authority === null
        ? ''
        : authority.kind === 'device'
          ? deviceName(plan, authority.id)
          : (plan.references.get(authority.id)?.name ?? authority.id);
    const pace = paceOfGroup(plan, view.clocks, group.id);
    const others = [...plan.clocks.values()].filter((c) => c.secondGroupId === group.id).length;
    return {
      text: `${group.name} ${name}`,
      group,
      authority: name,
      pace: pace === null ? '' : originWords(plan, pace.origin),
      members: membersOfGroup(plan, group.id).length,
      others,
      wrong: wrong.get(group.id) ?? NOTHING_WRONG,
    };
  });
  return filtered(rows, search, textOf);
}

export interface ReferenceRow {
  /** What a filter looks at. */
  readonly text: string;
  readonly reference: Reference;
  readonly kind: string;
  readonly from: string;
  readonly listeners: readonly string[];
  /** Those of the listeners that are locked to it. */
  readonly locked: number;
  readonly wrong: Wrong;
}

export function referenceRows(plan: Plan, view: View, search: Search): readonly ReferenceRow[] {
  const wrong = wrongBy(view.findings, (f) =>
    f.about === 'reference-rate'
      ? [f.referenceId]
      : f.about === 'reference-missing'
        ? f.tried.map((t) => t.referenceId)
        : [],
  );
  const rows = [...plan.references.values()].map((reference) => {
    const from = reference.fromDeviceId === null ? 'outside' : deviceName(plan, reference.fromDeviceId);
    const kind = REFERENCE_WORDS[reference.kind];
    const listeners = listenersOf(plan, reference.id);
    return {
      text: `${reference.name} ${kind} ${from}`,
      reference,
      kind,
      from,
      listeners,
      locked: listeners.filter((id) => view.clocks.media.get(id)?.referenceId === reference.id).length,
      wrong: wrong.get(reference.id) ?? NOTHING_WRONG,
    };
  });
  return filtered(rows, search, textOf);
}

export function listenersOf(plan: Plan, referenceId: string): string[] {
  return [...plan.clocks.values()]
    .filter((c) => c.referenceIds.includes(referenceId))
    .map((c) => c.id)
    .sort();
}

/** Devices whose samples are paced or clocked otherwise than before, for the words beside a preview. */
interface PaceDifference {
  readonly deviceId: string;
  readonly before: MediaClock;
  readonly after: MediaClock;
}

export function paceDifferences(before: ClockView, after: ClockView): PaceDifference[] {
  const found: PaceDifference[] = [];
  for (const [deviceId, now] of after.media) {
    const was = before.media.get(deviceId);
    if (was === undefined) continue;
    if (was.rateHz === now.rateHz && was.originKey === now.originKey && was.state === now.state) continue;
    found.push({ deviceId, before: was, after: now });
  }
  return found;
}
