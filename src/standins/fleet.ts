import { ASSUMED, hasStreams } from '../core/models/unknown-figures';
import { createHash } from 'node:crypto';
import { clocksOf } from '../core/clocks/clocks';
import { planOfFile, type PlanFile } from '../core/formats/plan-file';
import type { ChannelRange, MapLimits } from '../core/models/models-table';
import { plannedFeed, plannedPart } from '../core/patch/patch-in-field';
import type { Plan } from '../core/plan/plan';
import { topologyOf } from '../core/network/topology';
import { isRouted } from '../core/network/interfaces-table';
import type { PtpClock } from './ptp';
import type { Encoding, PacketTimeUs, RateHz } from '../core/streams/format';

interface StandinInterface {
  readonly name: string;
  readonly address: string;
  /** What LLDP hears at the other end of its cable: the switch's serial and socket. */
  readonly attached?: { readonly chassisId: string; readonly portId: string };
}

/** What one stand-in plays: the parts of a plan's device that can be seen from outside. */
export interface StandinSpec {
  readonly id: string;
  readonly name: string;
  readonly serial: string;
  /** Loopback addresses by network interface, the first one carries its interfaces to the outside. */
  readonly interfaces: readonly StandinInterface[];
  readonly legs: readonly { readonly name: string; readonly address: string }[];
  readonly channelsReceive: number;
  readonly channelsSend: number;
  readonly streamsReceive: number;
  readonly streamsSend: number;
  readonly channelsPerStream: number;
  readonly rateHz: RateHz;
  readonly encoding: Encoding;
  readonly packetTimeUs: PacketTimeUs;
  readonly ratesHz: readonly RateHz[];
  /** How what it receives may be mapped onto its channels; not there: as one likes. */
  readonly receiveMap?: MapLimits | null;
  /** How its own channels may be put into streams. */
  readonly sendMap?: MapLimits | null;
  /** Channels that its streams carry or feed for good: a device with either has no channel map. */
  readonly sendOrder?: readonly ChannelRange[] | null;
  readonly receiveOrder?: readonly ChannelRange[] | null;
  /** What it receives always feeds its channels: none of them can be taken off. */
  readonly isAlwaysFed?: boolean;
  /** Its inside, where it lets it be patched; not there: its network channels alone are in its channel map. */
  readonly inside?: StandinInside | null;
  /** The radio channels that it tells battery and radio level of; not there: it has none. */
  readonly radio?: { readonly name: string; readonly channels: number } | null;
  /** The serial of the stand-in in whose node it is a second device: a card of a frame. It registers no node of its own. */
  readonly frameSerial?: string;
}

export interface StandinPatched {
  readonly terminalId: string;
  /** Counted from 1. */
  readonly channel: number;
}

/** The terminals of a device that are patched, and those that they can be patched from. */
export interface StandinInside {
  readonly feeding: readonly { readonly id: string; readonly name: string; readonly channels: number }[];
  readonly fed: readonly {
    readonly id: string;
    readonly name: string;
    readonly from: readonly string[];
    readonly blockSize: number;
    readonly hasExceptions: boolean;
    /** What feeds each channel when it is new: as planned. */
    readonly starts: readonly (StandinPatched | null)[];
  }[];
}

/** Streams each way of a stand-in whose model does not say. */
const STREAMS_WHERE_UNKNOWN = 4;

/** A plan's address on the loopback network: 127 in front in place of 10. Null for addresses outside 10.0.0.0/8. */
export function loopbackAddress(address: string): string | null {
  return address.startsWith('10.') ? `127.${address.slice(3)}` : null;
}

/** Every device of the plan that has network channels, as a stand-in. */
export function fleetOfPlan(file: PlanFile): StandinSpec[] {
  const models = new Map(file.models.map((m) => [m.id, m]));
  const plan = planOfFile(file);
  const specs: StandinSpec[] = [];
  for (const device of file.devices) {
    const model = models.get(device.modelId);
    if (model === undefined) continue;
    if (!hasStreams(model) && model.kind !== 'clock') continue;
    const interfaces = file.interfaces
      .filter((i) => i.deviceId === device.id && !isRouted(i))
      .flatMap((i) => {
        const address = i.address === null ? null : loopbackAddress(i.address);
        if (address === null) return [];
        const attached = attachedTo(file, device.id, model.ports.find((p) => p.role === i.name)?.name);
        return [{ name: i.name, address, ...(attached === null ? {} : { attached }) }];
      });
    const legs = interfaces.filter((i) => i.name === 'A' || i.name === 'B');
    if (legs.length === 0) continue;
    const format = model.sends.formats.find((f) => f.ratesHz.includes(device.rateHz));
    const encoding = format?.encodings[0] ?? 'L24';
    const wanted = file.settings.preferredPacketTimeUs;
    const packetTimeUs = format?.packetTimesUs.includes(wanted) ? wanted : (format?.packetTimesUs[0] ?? 1000);
    specs.push({
      id: device.id,
      name: device.name,
      serial: device.serial ?? device.id,
      interfaces,
      legs,
      channelsReceive: model.channelsReceive,
      channelsSend: model.channelsSend,
      streamsReceive: model.streamsReceive ?? STREAMS_WHERE_UNKNOWN,
      streamsSend: model.streamsSend ?? STREAMS_WHERE_UNKNOWN,
      channelsPerStream: model.channelsPerStreamMax ?? ASSUMED.channelsPerStreamMax,
      rateHz: device.rateHz,
      encoding: device.sendsEncoding ?? encoding,
      packetTimeUs: device.sendsPacketTimeUs ?? packetTimeUs,
      ratesHz: model.ratesHz,
      receiveMap: model.receiveMap ?? null,
      sendMap: model.sendMap ?? null,
      sendOrder: model.sendOrder ?? null,
      receiveOrder: model.receiveOrder ?? null,
      inside: insideOf(plan, device.id),
      radio: model.terminals.find((t) => t.kind === 'radio') ?? null,
    });
  }
  return specs;
}

/** What of the inside of a device can be patched; null: nothing. Buses are fed by sends, which IS-08 does not know. */
function insideOf(plan: Plan, deviceId: string): StandinInside | null {
  const part = plannedPart(plan, deviceId);
  const fed = (part?.terminals ?? []).filter((t) => t.patchFrom.length > 0);
  if (part === undefined || fed.length === 0) return null;
  const sources = new Set(fed.flatMap((t) => t.patchFrom));
  return {
    feeding: part.terminals.filter((t) => sources.has(t.id)).map(({ id, name, channels }) => ({ id, name, channels })),
    fed: fed.map(({ id, name, patchFrom: from, blockSize, hasExceptions, channels }) => ({
      ...{ id, name, from, blockSize, hasExceptions },
      starts: Array.from({ length: channels }, (_, n) => plannedFeed(part, id, n + 1)),
    })),
  };
}

/**
 * Every device and switch of the plan that runs PTP, set as the plan says and plugged into the segments of its drawing. A
 * clock whose identity the plan does not know gets one made from its serial.
 */
export function ptpClocksOfPlan(file: PlanFile): PtpClock[] {
  const plan = planOfFile(file);
  const { network } = clocksOf(plan, topologyOf(plan));
  return [...network.clocks.values()].map(({ deviceId, clock, planned }) => {
    const { settings, ability } = planned;
    const serial = plan.devices.get(deviceId)?.serial ?? deviceId;
    const isListening = settings.mediaClock === 'references' && settings.referenceIds.length > 0;
    return {
      id: deviceId,
      clock: { ...clock, clockIdentity: settings.clockIdentity ?? identityFrom(serial) },
      announceIntervalMs: 1000 * 2 ** settings.logAnnounceInterval,
      announceTimeout: settings.announceTimeout,
      relockMs: ability.relockMs ?? ASSUMED.relockMs,
      classLocked: clock.clockClass,
      classLost: ability.whenReferenceLost === 'hold-over' ? ability.classHoldover : ability.classFree,
      hasReference: isListening && clock.clockClass < 128,
    };
  });
}

/** A locally administered EUI-64. */
function identityFrom(serial: string): string {
  const hex = createHash('sha1').update(`${serial}|clock`).digest('hex').toUpperCase();
  return `02${hex.slice(0, 4)}FFFE${hex.slice(4, 10)}`;
}

function attachedTo(file: PlanFile, deviceId: string, port: string | undefined) {
  for (const link of file.links) {
    for (const [own, far] of [
      [link.from, link.to],
      [link.to, link.from],
    ] as const) {
      if (own.deviceId !== deviceId || own.port !== port) continue;
      const device = file.devices.find((d) => d.id === far.deviceId);
      return device ? { chassisId: device.serial ?? device.id, portId: far.port } : null;
    }
  }
  return null;
}
