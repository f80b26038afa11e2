import type { Area } from '@/core/findings/areas';
import { useMemo } from 'react';
import { isFollowed, sentDevices } from '@/core/plan/followed';
import type { Plan } from '@/core/plan/plan';
import type { ContestInField, LanesInField } from '@/field/live/device-topics';
import type { DeviceFailure } from '@/field/http-json';
import { NO_FIELD, usePlan, type FieldView, type View } from './plan-store';
import { evidenceOf, stateOf } from './shown';
import { onceFor } from '@/core/plan/once-for';

/** What is live beside what is planned: who answers, what was lost and what went with it. */

export type DeviceLive =
  /** Connections to it are taken. `isNotKnown`: but it has answered nothing for so long that nobody can say what it does. */
  | { readonly is: 'answering'; readonly failure: DeviceFailure | null; readonly isNotKnown: boolean }
  /** It was there, and is not; null: it was gone before the server began to watch, but was sent what it should carry. */
  | { readonly is: 'offline'; readonly since: number | null }
  /** Tied to a node that has not been seen since the server started to watch. */
  | { readonly is: 'never-seen' }
  /** No real device stands for it yet. */
  | { readonly is: 'on-paper' }
  /** Several nodes claim to be it, so none is taken for it. */
  | { readonly is: 'contested'; readonly contest: ContestInField }
  /** It speaks no open interface that is followed. */
  | { readonly is: 'not-followed' };

/** Whether somebody has to look after it: it is gone, could not be read, or several claim to be it. */
export const needsLook = (live: DeviceLive): boolean =>
  live.is === 'offline' || live.is === 'contested' || (live.is === 'answering' && live.failure !== null);

/** How a device of the plan is in the field. */
export function deviceLive(
  plan: Plan,
  field: Pick<FieldView, 'devices' | 'contested' | 'since' | 'registry'>,
  deviceId: string,
): DeviceLive {
  const found = field.devices.get(deviceId);
  if (found !== undefined) return { is: 'answering', failure: found.failure, isNotKnown: found.isNotKnown };
  const contest = field.contested.get(deviceId);
  if (contest !== undefined) return { is: 'contested', contest };
  const since = field.since.devices.get(deviceId);
  if (since !== undefined) return { is: 'offline', since };
  // Before the registry was heard at all nothing can be said of any device.
  const wasHeard = field.registry.get('')?.wasHeard === true;
  if (wasHeard && sentDevices(plan).has(deviceId)) return { is: 'offline', since: null };
  const device = plan.devices.get(deviceId);
  if (device !== undefined && device.nodeId !== null) return { is: 'never-seen' };
  return { is: isFollowed(plan, deviceId) ? 'on-paper' : 'not-followed' };
}

/** One thing that is lost now. */
export type Loss =
  | {
      readonly kind: 'registry';
      readonly key: string;
      readonly url: string;
      readonly because: string | null;
      readonly since: number | null;
    }
  | {
      readonly kind: 'device';
      readonly key: string;
      readonly deviceId: string;
      readonly since: number | null;
      readonly waiting: number;
    }
  | {
      readonly kind: 'failing';
      readonly key: string;
      readonly deviceId: string;
      readonly since: number | null;
      readonly failure: DeviceFailure;
      readonly isNotKnown: boolean;
    }
  | {
      readonly kind: 'contested';
      readonly key: string;
      readonly deviceId: string;
      readonly since: number | null;
      readonly contest: ContestInField;
    }
  | {
      readonly kind: 'switch';
      readonly key: string;
      readonly deviceId: string;
      readonly since: number | null;
      readonly failure: DeviceFailure;
    }
  | { readonly kind: 'cable'; readonly key: string; readonly linkId: string; readonly since: number | null };

export interface Losses {
  readonly all: readonly Loss[];
  /** Lanes whose sender or receiver is not there, and lanes of which one leg is lost. */
  readonly waiting: number;
  readonly oneLegged: number;
  /** Lanes of which nobody can say what they do, as an end of them has not answered for too long. */
  readonly notKnown: number;
}

const NOTHING_LOST: Losses = { all: [], waiting: 0, oneLegged: 0, notKnown: 0 };

/** The stage at which a loss is seen. */
export const AREA_OF_LOSS: Readonly<Record<Loss['kind'], Area>> = {
  registry: 'gear',
  device: 'gear',
  failing: 'gear',
  contested: 'gear',
  switch: 'network',
  cable: 'network',
};

type StateCounts = Pick<Losses, 'waiting' | 'oneLegged' | 'notKnown'>;

/** Counted once for what a device reports: most of it stays as it is when anything else changes. */
const countsOf = onceFor(({ evidenceAt, evidence }: LanesInField): StateCounts => {
  let waiting = 0;
  let oneLegged = 0;
  let notKnown = 0;
  for (const at of Object.values(evidenceAt)) {
    const state = evidence[at]?.state;
    if (state === 'waiting') waiting += 1;
    else if (state === 'one-legged') oneLegged += 1;
    else if (state === 'unknown') notKnown += 1;
  }
  return { waiting, oneLegged, notKnown };
});

/** All that is lost now, the widest first: the registry, devices, switches, cables. */
export function lossesOf(plan: Plan, view: Pick<View, 'lanes'>, field: FieldView): Losses {
  const all: Loss[] = [];
  const registry = field.registry.get('');
  if (registry !== undefined && registry.wasHeard && !registry.isConnected) {
    const since = field.since.registry.get('') ?? null;
    all.push({ kind: 'registry', key: 'registry', url: registry.url, because: registry.because, since });
  }
  let waiting = 0;
  let oneLegged = 0;
  let notKnown = 0;
  for (const lanes of field.lanes.values()) {
    const counts = countsOf(lanes);
    waiting += counts.waiting;
    oneLegged += counts.oneLegged;
    notKnown += counts.notKnown;
  }
  const devices: Extract<Loss, { kind: 'device' }>[] = [];
  const failing: Loss[] = [];
  const offline = new Set<string>();
  for (const deviceId of plan.devices.keys()) {
    const live = deviceLive(plan, field, deviceId);
    if (live.is === 'offline') offline.add(deviceId);
    else if (live.is === 'answering' && live.failure !== null) {
      const since = field.since.devices.get(deviceId) ?? null;
      const { failure, isNotKnown } = live;
      failing.push({ kind: 'failing', key: `failing ${deviceId}`, deviceId, since, failure, isNotKnown });
    }
  }
  const waitingBy = waiting === 0 ? new Map<string, number>() : waitingByLost(view, field, offline);
  for (const deviceId of offline) {
    const since = field.since.devices.get(deviceId) ?? null;
    devices.push({ kind: 'device', key: `device ${deviceId}`, deviceId, since, waiting: waitingBy.get(deviceId) ?? 0 });
  }
  devices.sort((a, b) => b.waiting - a.waiting);
  all.push(...devices, ...failing);
  for (const [deviceId, contest] of field.contested) {
    if (!plan.devices.has(deviceId)) continue;
    const since = field.since.contested.get(deviceId) ?? null;
    all.push({ kind: 'contested', key: `contested ${deviceId}`, deviceId, since, contest });
  }
  for (const [deviceId, { failure }] of field.switches) {
    if (failure === null || !plan.devices.has(deviceId)) continue;
    const since = field.since.switches.get(deviceId) ?? null;
    all.push({ kind: 'switch', key: `switch ${deviceId}`, deviceId, since, failure });
  }
  for (const [linkId, link] of field.links) {
    if (!link.isLost || !plan.links.has(linkId)) continue;
    all.push({ kind: 'cable', key: `cable ${linkId}`, linkId, since: field.since.links.get(linkId) ?? null });
  }
  const isNothing = all.length === 0 && waiting + oneLegged + notKnown === 0;
  return isNothing ? NOTHING_LOST : { all, waiting, oneLegged, notKnown };
}

/** How many lanes wait for each lost device, as the one that sends or the one that receives. */
function waitingByLost(view: Pick<View, 'lanes'>, field: FieldView, offline: ReadonlySet<string>): Map<string, number> {
  const counts = new Map<string, number>();
  const add = (deviceId: string) => offline.has(deviceId) && counts.set(deviceId, (counts.get(deviceId) ?? 0) + 1);
  for (const [receiverId, lanes] of view.lanes) {
    const told = field.lanes.get(receiverId);
    if (told === undefined || countsOf(told).waiting === 0) continue;
    for (const [channel, lane] of lanes) {
      if (stateOf(lane, evidenceOf(field, receiverId, channel)) !== 'waiting') continue;
      add(receiverId);
      if (lane.senderDeviceId !== receiverId) add(lane.senderDeviceId);
    }
  }
  return counts;
}

/** What is lost now in the plan in front; nothing where no field is followed. */
export function useLosses(): Losses {
  const plan = usePlan((s) => s.plan);
  const view = usePlan((s) => s.view);
  const field = usePlan((s) => s.field);
  return useMemo(
    () => (plan === null || view === null || field === NO_FIELD ? NOTHING_LOST : lossesOf(plan, view, field)),
    [plan, view, field],
  );
}
