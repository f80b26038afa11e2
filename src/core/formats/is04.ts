import { compareNames } from '../plan/name-order';
import { parseClockIdentity } from '../clocks/dataset';
import type { FormatRange } from '../streams/capability';
import { essenceOfFormat, type Essence } from '../streams/essence';
import { visible } from '../plan/visible-text';
import { isRaw, rawList, rawOf, type Raw } from './raw';
import { rangesOfCaps } from './receiver-caps';
import { sharedText } from './shared-text';
import { sharedValue } from './shared-value';

/** The parts of IS-04 resources that we read. Devices send all sorts of things: nothing is taken on trust. */

export const FOLLOWED = ['nodes', 'devices', 'sources', 'flows', 'senders', 'receivers'] as const;
export type FollowedPath = (typeof FOLLOWED)[number];

/** The clock of a node as IS-04 tells it. */
export interface FoundClock {
  /** Sixteen hexadecimal digits in capitals; null: an oscillator of its own, no PTP. */
  readonly gmid: string | null;
  readonly locked: boolean;
  readonly traceable: boolean;
}

export interface NodeResource {
  readonly id: string;
  readonly label: string;
  /** Where its Node API is; empty: not told. */
  readonly href: string;
  /** Addresses under which the node says it answers. */
  readonly addresses: readonly string[];
  readonly serial: string | null;
  readonly interfaces: readonly NodeInterface[];
  /** Its PTP clock, if it has one; null where it tells of no clock at all. */
  readonly clock: FoundClock | null;
}
/** A network interface as IS-04 v1.3 tells it, with what LLDP heard at its other end. */
export interface NodeInterface {
  readonly name: string;
  readonly portId: string;
  readonly attached: { readonly chassisId: string; readonly portId: string } | null;
}
export interface DeviceResource {
  readonly id: string;
  readonly version: string;
  readonly nodeId: string;
  readonly label: string;
  /** Where it is talked to: one of those below, the first that may be asked and answers. */
  readonly connectionHref: string | null;
  readonly channelMapHref: string | null;
  /** Where its events are read (IS-07). */
  readonly eventsHref: string | null;
  /** All addresses that it names for connections (IS-05), for its channel map (IS-08) and for its events, those of the newest version first. */
  readonly connectionHrefs: readonly string[];
  readonly channelMapHrefs: readonly string[];
  readonly eventsHrefs: readonly string[];
  /** The host that it names for these, where requests may not go there; missing: they may. */
  readonly notAllowedHost?: string;
}
export interface SourceResource {
  readonly id: string;
  readonly deviceId: string;
  readonly label: string;
  /** How many channels it has; null: not told. */
  readonly channels: number | null;
  /** As `number/battery` (IS-07); null: it is none of events. */
  readonly eventType: string | null;
}
export interface FlowResource {
  readonly id: string;
  readonly sourceId: string;
  /** As `urn:x-nmos:format:audio`; empty: not told. */
  readonly format: string;
  /** As `audio/L24`; empty: not told. */
  readonly mediaType: string;
}
export interface EndResource {
  readonly id: string;
  readonly version: string;
  readonly deviceId: string;
  readonly label: string;
  readonly flowId: string | null;
  readonly isActive: boolean;
  /** What a receiver takes, as `urn:x-nmos:format:audio`; empty: not told, or a sender, whose flow tells it. */
  readonly format: string;
  /** The media types that a receiver takes; empty: not told. */
  readonly mediaTypes: readonly string[];
  /** As `urn:x-nmos:transport:rtp.mcast`; empty: not told. */
  readonly transport: string;
  /** What a receiver says that it takes; empty: not told. */
  readonly takes: readonly FormatRange[];
  /** The network interface of each leg, by its name at the node; empty: not told (before IS-04 v1.2). */
  readonly interfaceBindings: readonly string[];
}

/** So much of a text is kept; of a longer one the end is cut off. */
const TEXT_MAX = 300;
const LIST_MAX = 256;
const text = (value: unknown): string => {
  if (typeof value !== 'string') return '';
  return visible(value.length <= TEXT_MAX ? value : `${value.slice(0, TEXT_MAX - 1)}…`);
};
const list = (value: unknown): Raw[] => rawList(value).slice(0, LIST_MAX);

/** BCP-002-02: the tag that carries a serial number. */
const SERIAL_TAG = 'urn:x-nmos:tag:asset:instance-id/v1.0';

export function readNode(raw: Raw): NodeResource {
  const addresses = new Set<string>();
  try {
    addresses.add(new URL(text(raw['href'])).hostname);
  } catch {
    // no usable href: the endpoints have to do
  }
  for (const endpoint of list(rawOf(raw['api'])['endpoints'])) addresses.add(text(endpoint['host']));
  addresses.delete('');
  const serials = rawOf(raw['tags'])[SERIAL_TAG];
  const serial: unknown = Array.isArray(serials) ? serials[0] : null;
  return {
    id: text(raw['id']),
    label: text(raw['label']),
    href: text(raw['href']),
    addresses: [...addresses],
    serial: text(serial) || null,
    clock: readClock(list(raw['clocks'])),
    interfaces: list(raw['interfaces']).map((i) => {
      const attached = isRaw(i['attached_network_device']) ? i['attached_network_device'] : null;
      return {
        name: text(i['name']),
        portId: text(i['port_id']),
        attached:
          attached === null ? null : { chassisId: text(attached['chassis_id']), portId: text(attached['port_id']) },
      };
    }),
  };
}

/** IS-04 v1.3, `clock_ptp`: the first PTP clock of a node. */
function readClock(clocks: readonly Raw[]): FoundClock | null {
  if (clocks.length === 0) return null;
  const ptp = clocks.find((c) => c['ref_type'] === 'ptp');
  const gmid = ptp === undefined ? null : parseClockIdentity(text(ptp['gmid']));
  if (ptp === undefined || gmid === null) return { gmid: null, locked: false, traceable: false };
  return { gmid, locked: ptp['locked'] === true, traceable: ptp['traceable'] === true };
}

/** Where neither a source nor a receiver's caps tell it: the widest stream that every receiver of level A takes. */
export const CHANNELS_UNTOLD = 8;

export const AUDIO = 'urn:x-nmos:format:audio';

/** What a sender or receiver carries over RTP; null: nothing that is a stream. Of what does not say what it carries it is taken that it is sound. */
export function essenceOfEnd(
  end: EndResource,
  flowOf: (flowId: string) => { readonly format: string; readonly mediaType: string } | undefined,
): Essence | null {
  const isRtp = end.transport === '' || /^urn:x-nmos:transport:rtp(\.|$)/.test(end.transport);
  if (!isRtp) return null;
  if (end.flowId === null) return essenceOfFormat(end.format, end.mediaTypes);
  const { format = '', mediaType = '' } = flowOf(end.flowId) ?? {};
  return essenceOfFormat(format, mediaType === '' ? [] : [mediaType]);
}

/** The hrefs of all controls of a type, e.g. `urn:x-nmos:control:sr-ctrl/v1.1`: a device with several addresses names each. */
function controlHrefs(raw: Raw, type: string): string[] {
  const minor = (control: Raw): number => Number(/\/v1\.(\d+)$/.exec(text(control['type']))?.[1] ?? -1);
  const hrefs = list(raw['controls'])
    .filter((c) => text(c['type']).startsWith(`${type}/v1.`))
    .sort((a, b) => minor(b) - minor(a))
    .map((c) => text(c['href']).replace(/\/$/, ''))
    .filter((href) => /^https?:\/\//.test(href));
  return [...new Set(hrefs)];
}

export function readDevice(raw: Raw): DeviceResource {
  const connectionHrefs = controlHrefs(raw, 'urn:x-nmos:control:sr-ctrl');
  const channelMapHrefs = controlHrefs(raw, 'urn:x-nmos:control:cm-ctrl');
  const eventsHrefs = controlHrefs(raw, 'urn:x-nmos:control:events');
  return {
    id: text(raw['id']),
    version: text(raw['version']),
    nodeId: text(raw['node_id']),
    label: text(raw['label']),
    connectionHref: connectionHrefs[0] ?? null,
    channelMapHref: channelMapHrefs[0] ?? null,
    eventsHref: eventsHrefs[0] ?? null,
    connectionHrefs,
    channelMapHrefs,
    eventsHrefs,
  };
}

/** An id that a resource names, as the text in which it is known already. */
export interface KnownIds {
  device(id: string): string;
  source(id: string): string;
  flow(id: string): string;
}
const AS_TOLD: KnownIds = { device: (id) => id, source: (id) => id, flow: (id) => id };

export function readSource(raw: Raw, known = AS_TOLD): SourceResource {
  const channels = Array.isArray(raw['channels']) ? Math.min(raw['channels'].length, 4096) : null;
  const eventType = text(raw['event_type']) || null;
  const deviceId = known.device(text(raw['device_id']));
  return { id: text(raw['id']), deviceId, label: sharedText(text(raw['label'])), channels, eventType };
}

export function readFlow(raw: Raw, known = AS_TOLD): FlowResource {
  return {
    id: text(raw['id']),
    sourceId: known.source(text(raw['source_id'])),
    format: sharedText(text(raw['format'])),
    mediaType: sharedText(text(raw['media_type'])),
  };
}

function mediaTypesOf(caps: unknown): string[] {
  const types = rawOf(caps)['media_types'];
  return Array.isArray(types) ? types.slice(0, 32).map((t) => sharedText(text(t))) : [];
}

export function readEnd(raw: Raw, known = AS_TOLD): EndResource {
  const flowId = text(raw['flow_id']);
  const subscription = rawOf(raw['subscription']);
  return {
    id: text(raw['id']),
    version: text(raw['version']),
    deviceId: known.device(text(raw['device_id'])),
    label: sharedText(text(raw['label'])),
    flowId: flowId === '' ? null : known.flow(flowId),
    isActive: subscription['active'] === true,
    format: sharedText(text(raw['format'])),
    transport: sharedText(text(raw['transport'])),
    mediaTypes: sharedValue(mediaTypesOf(raw['caps'])),
    takes: sharedValue(rangesOfCaps(raw['caps'])),
    interfaceBindings: sharedValue(
      Array.isArray(raw['interface_bindings']) ? raw['interface_bindings'].slice(0, 8).map(text) : [],
    ),
  };
}

/** `Stream 2` before `Stream 10`. */
export function byLabel(a: { label: string; id: string }, b: { label: string; id: string }): number {
  return compareNames(a.label, b.label) || (a.id < b.id ? -1 : 1);
}
