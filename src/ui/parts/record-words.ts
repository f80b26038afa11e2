import type { Plan } from '@/core/plan/plan';
import type { ChannelLabel } from '@/core/plan/labels-table';
import type { Subscription } from '@/core/plan/subscriptions-table';
import { declarationOf, type TableName } from '@/core/plan/tables';
import type { LeftMessage } from '@/server/messages';
import { modelDifferences } from '@/core/models/model-differences';
import type { Model } from '@/core/models/models-table';
import { differenceWords, figureLabel } from './figure-words';
import { bits, count, kHz, time } from './units';
import { channelName, deviceName } from './names';

/** Records of a plan in words: what they are called, and what became of them. */

export const KIND_WORDS: Readonly<Record<TableName, readonly [one: string, many: string]>> = {
  settings: ['settings of the plan', 'Settings of the plan'],
  places: ['place', 'Places'],
  models: ['model', 'Models'],
  subnets: ['subnet', 'Subnets'],
  devices: ['device', 'Devices'],
  interfaces: ['address', 'Addresses'],
  links: ['cable', 'Cables'],
  switches: ['switch settings', 'Switch settings'],
  references: ['reference', 'References'],
  clockGroups: ['clock group', 'Clock groups'],
  clocks: ['clock settings', 'Clock settings'],
  slotBuses: ['slot bus', 'Slot buses'],
  slotUnits: ['unit of a slot bus', 'Units of slot buses'],
  labels: ['label', 'Labels'],
  subscriptions: ['subscription', 'Subscriptions'],
  layouts: ['stream layout', 'Stream layouts'],
  groupChoices: ['chosen multicast group', 'Chosen multicast groups'],
  sentStreams: ['stream as sent', 'Streams as sent'],
  pluggedIn: ['source or sink', 'Sources and sinks'],
  channelSettings: ['channel settings', 'Channel settings'],
  audioCables: ['audio cable', 'Audio cables'],
  patches: ['device patch', 'Device patches'],
  coherenceGroups: ['coherence group', 'Coherence groups'],
  substitutions: ['substitution', 'Substitutions'],
  sideTraffic: ['side traffic', 'Side traffic'],
  ticks: ['tick of the work list', 'Ticks of the work list'],
  busSends: ['send to a bus', 'Sends to buses'],
  streamEnds: ['sender or receiver of', 'Senders and receivers of streams'],
};

/** Which record it is: `Dome amp 5 · Zenith 1`, `cable Wave edge A to North core A`. */
export function recordName(plan: Plan, table: TableName, record: unknown): string {
  if (table === 'subscriptions') {
    const { receiverDeviceId, receiverChannel } = record as Subscription;
    return `${deviceName(plan, receiverDeviceId)} · ${channelName(plan, receiverDeviceId, 'receive', receiverChannel)}`;
  }
  const { nameOf } = declarationOf(table);
  return `${KIND_WORDS[table][0]} ${nameOf(record as Record<string, unknown>, (id) => deviceName(plan, id))}`;
}

/** What a record says, as far as a few words can; null: it is not there. */
export function recordValue(plan: Plan, table: TableName, record: unknown): string {
  if (record === null || record === undefined) return table === 'subscriptions' ? 'free' : 'removed';
  if (table === 'subscriptions') {
    const { senderDeviceId, senderChannel } = record as Subscription;
    return `${deviceName(plan, senderDeviceId)} · ${channelName(plan, senderDeviceId, 'send', senderChannel)}`;
  }
  return table === 'labels' ? `“${(record as ChannelLabel).label}”` : 'as changed';
}

const FIELDS_MAX = 4;
const TEXT_MAX = 40;

/** What became of a record: `free → Wave stage box · Tank mic 1`, `rate: 48 kHz → 96 kHz`, `added`. */
export function changeWords(plan: Plan, table: TableName, before: unknown, after: unknown): string {
  if (table === 'subscriptions' || table === 'labels') {
    return `${recordValue(plan, table, before)} → ${recordValue(plan, table, after)}`;
  }
  if (before === null) return 'added';
  if (after === null) return 'removed';
  if (table === 'models') {
    const differences = modelDifferences(before as Model, after as Model);
    const told = differences
      .slice(0, FIELDS_MAX)
      .map((d) => `${figureLabel(d.path)}: ${differenceWords(d.path, d.before)} → ${differenceWords(d.path, d.after)}`);
    return inOneLine(told, differences.length);
  }
  const [was, is] = [before as Record<string, unknown>, after as Record<string, unknown>];
  const fields = [...new Set([...Object.keys(was), ...Object.keys(is)])].filter(
    (f) => JSON.stringify(was[f]) !== JSON.stringify(is[f]),
  );
  const told = fields
    .slice(0, FIELDS_MAX)
    .map((f) => `${fieldWords(f)}: ${fieldText(plan, f, was[f])} → ${fieldText(plan, f, is[f])}`);
  return inOneLine(told, fields.length);
}

const inOneLine = (told: readonly string[], count: number): string =>
  [...told, ...(count > told.length ? [`${count - told.length} more`] : [])].join('; ');

/** What fields of records are called on the screens; the others go by their names in the record. */
const FIELD_WORDS: Readonly<Record<string, string>> = {
  rateHz: 'rate',
  placeId: 'place',
  modelId: 'model',
  subnetId: 'subnet',
  throughId: 'signal path',
  isPatchForeign: 'read-only patch',
  nodeId: 'bound node',
  nodeDeviceId: 'device of the bound node',
  linkOffsetNs: 'link offset',
  sendsUnicast: 'sends unicast',
  setAsidePercent: 'reserved, %',
  joinedAs: 'LAG',
  bitsPerSecond: 'speed',
  carries: 'VLANs carried',
  cidr: 'prefix',
  vlan: 'VLAN',
  dhcp: 'DHCP range',
  querierIds: 'IGMP querier',
  igmpVersion: 'IGMP version',
  pimMode: 'PIM mode',
  spanningTrees: 'spanning trees',
  rendezvousPoint: 'rendezvous point',
  domainNumber: 'PTP domain',
  clientOnly: 'follow only',
  runsPtp: 'runs PTP',
  referenceIds: 'references',
  mediaClock: 'media clock source',
  multicastTtl: 'multicast TTL',
  loadCeilingPercent: 'load ceiling, %',
  rtpPort: 'RTP port',
};

/** `rateHz` as `rate`, `bridgePriority` as `bridge priority`. */
function fieldWords(field: string): string {
  return FIELD_WORDS[field] ?? field.replace(/([a-z])([A-Z])/g, '$1 $2').toLowerCase();
}

/** A value as the screens say it: names in the place of ids, numbers with their units. */
function fieldText(plan: Plan, field: string, value: unknown): string {
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value === 'number') {
    if (field === 'rateHz') return `${kHz(value)} kHz`;
    if (field === 'bitsPerSecond') return bits(value);
    if (field.endsWith('Ns')) return time(value);
  }
  if (typeof value === 'string') {
    if (field === 'placeId') return plan.places.get(value)?.name ?? valueText(value);
    if (field === 'modelId') return plan.models.get(value)?.name ?? valueText(value);
    if (field === 'subnetId') return plan.subnets.get(value)?.name ?? valueText(value);
    if (field === 'throughId') return deviceName(plan, value);
  }
  if (field === 'querierIds' && Array.isArray(value)) {
    return value.length === 0 ? 'none' : value.map((id) => deviceName(plan, String(id))).join(', ');
  }
  return valueText(value);
}

function valueText(value: unknown): string {
  if (value === null || value === undefined || value === '') return 'none';
  const text = typeof value === 'string' ? value : JSON.stringify(value);
  return text.length > TEXT_MAX ? `${text.slice(0, TEXT_MAX)}…` : text;
}

const LEFT_MAX = 3;

/** What stays as it is, and why. Empty: nothing does. */
export function leftInWords(plan: Plan, left: readonly LeftMessage[]): string {
  if (left.length === 0) return '';
  const told = left.slice(0, LEFT_MAX).map(({ table, value, why, needs, by, title }) => {
    const name = recordName(plan, table, value);
    if (why === 'gone') return `${name} needs ${needs ?? 'what is gone'}, which is gone`;
    if (why === 'in-use') return `${name} is needed by ${needs === null ? 'something else' : deviceName(plan, needs)}`;
    return by === null ? `${name} was changed since` : `${name} was changed by ${by} (“${title ?? ''}”)`;
  });
  const more = left.length - told.length;
  return `${count(left.length, 'record')} ${left.length === 1 ? 'stays' : 'stay'} as ${left.length === 1 ? 'it is' : 'they are'}: ${told.join('; ')}${more > 0 ? `; and ${more} more` : ''}.`;
}
