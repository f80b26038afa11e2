import { areaOf } from '@/core/findings/areas';
import type { Plan } from '@/core/plan/plan';
import { modelOf } from '@/core/plan/plan';
import { bestFirst, searchFor, withSlips } from '@/ui/parts/find-text';
import { channelName, deviceName } from '@/ui/parts/names';
import type { Finding } from '@/core/findings/finding';
import { findingTitle } from '@/ui/parts/finding-words';
import type { View } from '@/ui/session/plan-store';
import type { SoundAt } from '@/workers/patch-view';
import type { StreamView } from '@/workers/reckon-view';
import { findingHref, stageOf } from './stages';

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

/** What is known beside the plan itself. */
interface Findable {
  readonly view: View | null;
  readonly streams: readonly StreamView[];
  readonly sounds: readonly SoundAt[];
}

/** Everything of a plan that can be gone to, by what is typed: the best matches first, and among equals kind by kind. */
export function findEntries(
  typed: string,
  actions: readonly Entry[],
  plan: Plan | null,
  { view, streams, sounds }: Findable,
  planId: string,
): readonly Entry[] {
  const search = searchFor(typed);
  if (search.isEmpty || plan === null) return bestFirst(actions, search, textOf);
  const at = `/plans/${planId}`;
  // Channels are many: only those that pass are made.
  const kinds = (mayPass: MayPass): Iterable<Entry>[] => [
    actions,
    devices(plan, at),
    models(plan, at),
    subnets(plan, at),
    addresses(plan, at),
    streamEntries(plan, streams, at),
    findings(plan, view, planId),
    senders(plan, at, mayPass),
    receivers(plan, view, at, mayPass),
    soundEntries(plan, sounds, at, mayPass),
  ];
  const byRank: Entry[][] = [[], [], [], [], []];
  for (const kind of kinds((text) => search.rank(text) > 0)) {
    const own: Entry[][] = [[], [], [], [], []];
    for (const e of kind) {
      const rank = search.rank(textOf(e));
      if (rank > 0 && (own[rank] as Entry[]).length < OF_A_KIND) own[rank]?.push(e);
    }
    let left = OF_A_KIND;
    for (let rank = 4; rank > 0; rank -= 1) {
      const some = own[rank]?.slice(0, left) ?? [];
      byRank[rank]?.push(...some);
      left -= some.length;
    }
  }
  const found = [...wishes(typed, plan, at), ...byRank.reverse().flat()];
  if (found.length > 0) return found.slice(0, SHOWN_MAX);
  const all = kinds(() => true).flatMap((kind) => [...kind]);
  return withSlips(search, all.map(textOf))
    .slice(0, SHOWN_MAX)
    .map((n) => all[n] as Entry);
}

const textOf = (e: Entry) => `${e.words} ${e.also ?? ''}`;

/** "feed dome amp 5 from tank mic 1" and what else people say for it: the channels are selected, and the feed stands open with what it is to come from. */
const FEED =
  /^(?:(?:feed|patch|connect|subscribe)\s+(?<to>.+?)\s+(?:from|to)\s+(?<from>.+)|(?:route|send)\s+(?<source>.+?)\s+to\s+(?<sink>.+))$/i;

function wishes(typed: string, plan: Plan, at: string): Entry[] {
  const { to, from, source, sink } = FEED.exec(typed.trim())?.groups ?? {};
  const [receiver, sender] = [to ?? sink, from ?? source];
  if (receiver === undefined || sender === undefined) return [];
  const [, name = receiver, first, last] = /^(.*?)\s+(\d+)\s*(?:-|–|to)\s*(\d+)$/.exec(receiver) ?? [];
  const isReceiving = (e: Entry) => channelsIn(plan, e.key.slice(2)) > 0;
  const [device] = bestFirst([...devices(plan, at)].filter(isReceiving), searchFor(name), (e) => e.words);
  const [channel] = bestFirst([...receivers(plan, null, at, () => true)], searchFor(receiver), (e) => e.words);
  const href = (where: string) => `${at}/lanes?sel=${where}&feed=${encodeURIComponent(sender)}`;
  const entry = (words: string, where: string): Entry => ({
    ...{ key: 'feed', kind: 'Do', words: `Feed ${words} from “${sender}” …`, detail: 'Lanes', href: href(where) },
  });
  if (device !== undefined) {
    const id = device.key.slice(2);
    const [low, high] = [Number(first ?? 1), Math.min(Number(last ?? channelsIn(plan, id)), channelsIn(plan, id))];
    return low <= high ? [entry(`${device.words} ${low}–${high}`, `${encodeURIComponent(id)}:${low}-${high}`)] : [];
  }
  if (channel === undefined) return [];
  return [entry(channel.words, new URLSearchParams(channel.href?.split('?')[1]).get('sel') ?? '')];
}

const channelsIn = (plan: Plan, deviceId: string): number => modelOf(plan, deviceId)?.channelsReceive ?? 0;

type MayPass = (text: string) => boolean;

/** Where a device is worked on. */
function deviceHref(plan: Plan, at: string, id: string): string {
  const device = encodeURIComponent(id);
  return modelOf(plan, id)?.switching ? `${at}/network?view=switches&sel=device:${device}` : `${at}/gear?sel=${device}`;
}

function* devices(plan: Plan, at: string): Iterable<Entry> {
  for (const d of plan.devices.values()) {
    const place = plan.places.get(d.placeId ?? '')?.name ?? '';
    yield {
      key: `d-${d.id}`,
      kind: 'Device',
      words: d.name,
      detail: place,
      also: place,
      href: deviceHref(plan, at, d.id),
    };
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
    yield { key: `s-${s.id}`, kind: 'Subnet', words: s.name, detail, also: detail, href };
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

/** What people say for a finding, where its own words say it otherwise. */
const COMMON_WORDS: Partial<Record<Finding['about'], string>> = {
  'duplicate-address': 'IP conflict same address twice double',
  'address-outside-subnet': 'wrong IP subnet mask',
  'slot-two-talkers': 'slot twice double collision conflict',
  'group-collision': 'multicast address conflict twice',
  overload: 'bandwidth too much traffic full link',
  'lanes-refused': 'sample rate mismatch 48 into 96 no sound',
  'feedback-loop': 'feedback howl ring',
  'poe-budget': 'power over ethernet',
  'poe-class': 'power over ethernet',
  'legs-share-switch': 'redundancy single point of failure',
  'legs-share-cable': 'redundancy single point of failure',
  'relay-no-spare': 'redundancy single point of failure PTP sync',
  'grandmaster-no-spare': 'redundancy single point of failure PTP sync',
  'subnet-no-time': 'no PTP no sync unlocked',
  'free-running': 'clicks drift no sync unlocked',
  'control-unplugged': 'management unplugged not connected',
  'management-apart': 'management unreachable',
  'analogue-end': 'level clip distortion phantom impedance',
  'bus-clips': 'clip overload distortion headroom',
  'patch-differs': 'mismatch console patch changed',
  'late-by-queueing': 'latency dropouts',
  'no-querier': 'IGMP multicast flooding',
  'heard-by-nobody': 'unused not connected',
  'fed-by-nothing': 'no signal dead end',
};

function* findings(plan: Plan, view: View | null, planId: string): Iterable<Entry> {
  for (const f of view?.findings ?? []) {
    const title = stageOf(areaOf(f)).title;
    const common = f.severity === 'refusal' ? 'refusal error' : f.severity === 'caution' ? 'caution warning' : 'note';
    yield {
      key: `f-${f.id}`,
      kind: 'Finding',
      words: findingTitle(plan, f),
      detail: title,
      also: `${common} ${f.about.replaceAll('-', ' ')} ${COMMON_WORDS[f.about] ?? ''}`,
      href: findingHref(planId, f),
    };
  }
}

function* soundEntries(plan: Plan, sounds: readonly SoundAt[], at: string, mayPass: MayPass): Iterable<Entry> {
  for (const { deviceId, terminalId, channel, terminal, countsFrom, name, other } of sounds) {
    const words = `${deviceName(plan, deviceId)} · ${terminal} ${channel + countsFrom - 1} · ${name}`;
    if (!mayPass(`${words} ${other}`)) continue;
    yield {
      key: `c-${deviceId}-${terminalId}-${channel}`,
      kind: 'Channel',
      words,
      detail: 'its way',
      also: other,
      href: `${at}/patch?device=${encodeURIComponent(deviceId)}&sel=${encodeURIComponent(terminalId)}:${channel}`,
    };
  }
}

/** Where a sender channel is labelled and heard. */
function* senders(plan: Plan, at: string, mayPass: MayPass): Iterable<Entry> {
  for (const device of plan.devices.values()) {
    for (let channel = 1; channel <= (plan.models.get(device.modelId)?.channelsSend ?? 0); channel += 1) {
      const label = channelName(plan, device.id, 'send', channel);
      if (!mayPass(`${device.name} · ${label}`)) continue;
      yield {
        key: `x-${device.id}-${channel}`,
        kind: 'Sender',
        words: `${device.name} · ${label}`,
        detail: 'its lanes',
        href: `${at}/lanes?find=${encodeURIComponent(`"${device.name} ${label}"`)}`,
      };
    }
  }
}

/** Where a receiver channel is fed, by its own name and by what it receives. */
function* receivers(plan: Plan, view: View | null, at: string, mayPass: MayPass): Iterable<Entry> {
  for (const device of plan.devices.values()) {
    const lanes = view?.lanes.get(device.id);
    for (let channel = 1; channel <= channelsIn(plan, device.id); channel += 1) {
      const lane = lanes?.get(channel);
      const heard = lane
        ? `${deviceName(plan, lane.senderDeviceId)} · ${channelName(plan, lane.senderDeviceId, 'send', lane.senderChannel)}`
        : '';
      const words = `${device.name} · ${channelName(plan, device.id, 'receive', channel)}`;
      if (!mayPass(`${words} ${heard}`)) continue;
      yield {
        key: `r-${device.id}-${channel}`,
        kind: 'Receiver',
        words,
        detail: heard === '' ? 'free' : `subscribed to ${heard}`,
        also: heard,
        href: `${at}/lanes?sel=${encodeURIComponent(device.id)}:${channel}-${channel}`,
      };
    }
  }
}
