import { onceFor } from '../plan/once-for';
import type { Leg, Model } from '../models/models-table';
import type { LegState, Reach } from '../network/reach';
import { endAt, type End, type Topology } from '../network/topology';
import type { Gear } from '../plan/plan';
import type { PlanSettings } from '../plan/settings-table';
import { rangesOf, type FormatRange } from '../streams/capability';
import { formatKey, type StreamFormat } from '../streams/format';
import { endKindOf, type EndKind } from './end-kind';

/** Everything about one device that a lane's verdict needs, worked out once for the device. */
export interface DeviceProfile {
  readonly device: Gear;
  readonly model: Model;
  readonly sendRanges: readonly FormatRange[];
  readonly receiveRanges: readonly FormatRange[];
  /** Formats it can send at its rate, the preferred one first. Devices of one model, rate and preference share the list. */
  readonly sendFormats: readonly KeyedFormat[];
  readonly legs: Readonly<Record<Leg, LegState>>;
  /** Where a leg is plugged in and in which subnet; null where it has no usable address or no cable. */
  readonly ends: Readonly<Record<Leg, End | null>>;
  readonly topology: Topology;
  readonly multicastTtl: number;
  readonly kind: EndKind;
}

export interface KeyedFormat {
  readonly format: StreamFormat;
  readonly key: string;
}

/** What follows from a model alone, and from a rate and preference: shared by all devices of the model. */
const formatsOfModel = onceFor((model: Model) => ({
  sendRanges: rangesOf(model.sends),
  receiveRanges: rangesOf(model.receives),
  sendFormatsByPreference: new Map<string, readonly KeyedFormat[]>(),
}));

export function profileOf(
  settings: PlanSettings,
  reach: Reach,
  topology: Topology,
  device: Gear,
  model: Model,
): DeviceProfile {
  const known = formatsOfModel(model);
  const encoding = device.sendsEncoding ?? settings.preferredEncoding;
  const packetTimeUs = device.sendsPacketTimeUs ?? settings.preferredPacketTimeUs;
  const preference: StreamFormat = { encoding, rateHz: device.rateHz, packetTimeUs };
  const key = formatKey(preference);
  let sendFormats = known.sendFormatsByPreference.get(key);
  if (sendFormats === undefined) {
    sendFormats = formatsInPreference(preference, known.sendRanges);
    known.sendFormatsByPreference.set(key, sendFormats);
  }
  const legs = { A: reach.legOf(device.id, model, 'A'), B: reach.legOf(device.id, model, 'B') };
  const ends = { A: endOf(topology, device, model, 'A', legs.A), B: endOf(topology, device, model, 'B', legs.B) };
  const { multicastTtl } = settings;
  return {
    device,
    model,
    sendRanges: known.sendRanges,
    receiveRanges: known.receiveRanges,
    sendFormats,
    legs,
    ends,
    topology,
    multicastTtl,
    kind: endKindOf(topology, [model.id, key, device.sendsUnicast, legs.A, legs.B]),
  };
}

function endOf(topology: Topology, device: Gear, model: Model, leg: Leg, state: LegState): End | null {
  if (!state.ok) return null;
  const port = model.ports.find((p) => p.role === leg);
  return port === undefined ? null : endAt(topology, device.id, port.name, state.at.subnetId);
}

/** Every format of the ranges at the preferred rate: first the preferred one, then its packet time, then the others. */
function formatsInPreference(preference: StreamFormat, ranges: readonly FormatRange[]): KeyedFormat[] {
  const { rateHz } = preference;
  const formats = new Map<string, StreamFormat>();
  for (const r of ranges) {
    if (!r.ratesHz.includes(rateHz)) continue;
    for (const encoding of r.encodings) {
      for (const packetTimeUs of r.packetTimesUs) {
        const format = { encoding, rateHz, packetTimeUs };
        formats.set(formatKey(format), format);
      }
    }
  }
  const strangeness = ({ format: f }: KeyedFormat) =>
    (f.encoding === preference.encoding ? 0 : 1) + (f.packetTimeUs === preference.packetTimeUs ? 0 : 2);
  return [...formats]
    .map(([key, format]): KeyedFormat => ({ key, format }))
    .sort((a, b) => strangeness(a) - strangeness(b));
}
