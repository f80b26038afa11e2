import type { Plan } from '@/core/plan/plan';
import { modelOf } from '@/core/plan/plan';
import { bestFirst, searchFor } from '@/ui/parts/find-text';
import { channelName, deviceName } from '@/ui/parts/names';
import { findingTitle } from '@/ui/parts/finding-words';
import type { View } from '@/ui/session/plan-store';
import type { StreamView } from '@/workers/reckon-view';
import { findingHref, STAGES } from './stages';

/** One thing that search-and-do finds. */
export interface Entry {
  readonly key: string;
  readonly kind: string;
  readonly words: string;
  readonly detail: string;
  /** Other words by which it is found: those that people use elsewhere. */
  readonly also?: string;
  /** The keys that do the same without this. */
  readonly keys?: string;
  readonly href?: string;
  readonly run?: () => void;
}

const SHOWN_MAX = 60;
/** So many of a kind before the next kind has its turn. */
const OF_A_KIND = 12;

/** Everything of a plan that can be gone to, by what is typed: each kind with its best matches first. */
export function findEntries(
  typed: string,
  actions: readonly Entry[],
  plan: Plan | null,
  view: View | null,
  streams: readonly StreamView[],
  planId: string,
): readonly Entry[] {
  const search = searchFor(typed);
  const textOf = (e: Entry) => `${e.words} ${e.also ?? ''}`;
  const found = [...bestFirst(actions, search, textOf)];
  if (plan === null || search.isEmpty) return found;
  const at = `/plans/${planId}`;
  const take = (entries: Iterable<Entry>, of: (e: Entry) => string) => {
    const passing: Entry[] = [];
    for (const e of entries) if (search.rank(of(e)) > 0) passing.push(e);
    found.push(...bestFirst(passing, search, of).slice(0, OF_A_KIND));
  };
  take(devices(plan, at), (e) => `${e.words} ${e.detail}`);
  take(models(plan, at), (e) => e.words);
  take(subnets(plan, at), (e) => `${e.words} ${e.detail}`);
  take(addresses(plan, at), (e) => e.words);
  take(streamEntries(plan, streams, at), (e) => `${e.words} ${e.also ?? ''}`);
  take(findings(plan, view, planId), (e) => `${e.words} ${e.also ?? ''}`);
  // Channels are many: only those that pass are made.
  found.push(...channels(plan, view, at, search));
  return found.slice(0, SHOWN_MAX);
}

/** Where a device is worked on. */
function deviceHref(plan: Plan, at: string, id: string): string {
  const device = encodeURIComponent(id);
  return modelOf(plan, id)?.switching ? `${at}/network?view=switches&sel=device:${device}` : `${at}/gear?sel=${device}`;
}

function* devices(plan: Plan, at: string): Iterable<Entry> {
  for (const d of plan.devices.values()) {
    const place = plan.places.get(d.placeId ?? '')?.name ?? '';
    yield { key: `d-${d.id}`, kind: 'Device', words: d.name, detail: place, href: deviceHref(plan, at, d.id) };
  }
}

function* models(plan: Plan, at: string): Iterable<Entry> {
  for (const m of plan.models.values()) {
    const href = `${at}/gear?models=1&model=${encodeURIComponent(m.id)}&edit=1`;
    yield { key: `m-${m.id}`, kind: 'Model', words: m.name, detail: 'its figures', href };
  }
}

function* subnets(plan: Plan, at: string): Iterable<Entry> {
  for (const s of plan.subnets.values()) {
    const detail = `${s.cidr}${s.vlan === null ? '' : ` VLAN ${s.vlan}`}`;
    const href = `${at}/network?view=subnets&sel=subnet:${encodeURIComponent(s.id)}`;
    yield { key: `s-${s.id}`, kind: 'Subnet', words: s.name, detail, href };
  }
}

function* addresses(plan: Plan, at: string): Iterable<Entry> {
  for (const [deviceId, own] of plan.interfaces) {
    for (const i of own.values()) {
      if (i.address === null) continue;
      const detail = `${deviceName(plan, deviceId)}, ${i.name}`;
      yield {
        key: `a-${deviceId}-${i.name}`,
        kind: 'Address',
        words: i.address,
        detail,
        href: deviceHref(plan, at, deviceId),
      };
    }
  }
}

function* streamEntries(plan: Plan, streams: readonly StreamView[], at: string): Iterable<Entry> {
  for (const s of streams) {
    const words = `${deviceName(plan, s.senderDeviceId)} S${s.streamNumber}`;
    const groups = [s.groupA, s.groupB].filter((g) => g !== null).join(' ');
    const href = `${at}/network?view=streams&sel=stream:${encodeURIComponent(s.id)}`;
    yield {
      key: `t-${s.id}`,
      kind: 'Stream',
      words,
      detail: `${groups} · ${s.width} × ${s.format.encoding}`,
      also: `${groups} group multicast`,
      href,
    };
  }
}

function* findings(plan: Plan, view: View | null, planId: string): Iterable<Entry> {
  for (const f of view?.findings ?? []) {
    const title = STAGES.find((s) => s.id === f.area)?.title ?? '';
    const common = f.severity === 'refusal' ? 'refusal error' : f.severity === 'caution' ? 'caution warning' : 'note';
    yield {
      key: `f-${f.id}`,
      kind: 'Finding',
      words: findingTitle(plan, f),
      detail: title,
      also: common,
      href: findingHref(planId, f),
    };
  }
}

/** Receiver and sender channels: where a receiver channel is fed, and where a sender channel is labelled and heard. */
function channels(plan: Plan, view: View | null, at: string, search: ReturnType<typeof searchFor>): Entry[] {
  const byRank: Entry[][] = [[], [], [], []];
  for (const device of plan.devices.values()) {
    const model = plan.models.get(device.modelId);
    const lanes = view?.lanes.get(device.id);
    for (let channel = 1; channel <= (model?.channelsReceive ?? 0); channel += 1) {
      const label = channelName(plan, device.id, 'receive', channel);
      const lane = lanes?.get(channel);
      const heard = lane
        ? `${deviceName(plan, lane.senderDeviceId)} · ${channelName(plan, lane.senderDeviceId, 'send', lane.senderChannel)}`
        : '';
      const rank = search.rank(`${device.name} ${label} ${heard}`);
      if (rank === 0 || (byRank[rank] as Entry[]).length >= OF_A_KIND) continue;
      byRank[rank]?.push({
        key: `r-${device.id}-${channel}`,
        kind: 'Receiver',
        words: `${device.name} · ${label}`,
        detail: heard === '' ? 'free' : `subscribed to ${heard}`,
        href: `${at}/lanes?sel=${encodeURIComponent(device.id)}:${channel}-${channel}`,
      });
    }
    for (let channel = 1; channel <= (model?.channelsSend ?? 0); channel += 1) {
      const label = channelName(plan, device.id, 'send', channel);
      const rank = search.rank(`${device.name} ${label}`);
      if (rank === 0 || (byRank[rank] as Entry[]).length >= OF_A_KIND) continue;
      byRank[rank]?.push({
        key: `x-${device.id}-${channel}`,
        kind: 'Sender',
        words: `${device.name} · ${label}`,
        detail: 'its lanes',
        href: `${at}/lanes?find=${encodeURIComponent(`"${device.name} ${label}"`)}`,
      });
    }
  }
  return byRank.reverse().flat().slice(0, OF_A_KIND);
}
