import type { PlanFile } from '../core/formats/plan-file';
import type { Encoding, PacketTimeUs, RateHz } from '../core/streams/format';

/** What one stand-in plays: the parts of a plan's device that can be seen from outside. */
export interface StandinSpec {
  readonly id: string;
  readonly name: string;
  readonly serial: string;
  /** Loopback addresses by network interface, the first one carries its interfaces to the outside. */
  readonly interfaces: readonly { readonly name: string; readonly address: string }[];
  readonly legs: readonly { readonly name: string; readonly address: string }[];
  readonly channelsReceive: number;
  readonly channelsSend: number;
  readonly streamsReceive: number;
  readonly streamsSend: number;
  readonly channelsPerStream: number;
  readonly rateHz: RateHz;
  readonly encoding: Encoding;
  readonly packetTimeUs: PacketTimeUs;
}

/** A plan's address on the loopback network: 127 in front in place of 10. Null for addresses outside 10.0.0.0/8. */
export function loopbackAddress(address: string): string | null {
  return address.startsWith('10.') ? `127.${address.slice(3)}` : null;
}

/** Every device of the plan that has network channels, as a stand-in. */
export function fleetOfPlan(file: PlanFile): StandinSpec[] {
  const models = new Map(file.models.map((m) => [m.id, m]));
  const specs: StandinSpec[] = [];
  for (const device of file.devices) {
    const model = models.get(device.modelId);
    if (model === undefined || model.streamsReceive + model.streamsSend === 0) continue;
    const interfaces = file.interfaces
      .filter((i) => i.deviceId === device.id && !i.name.startsWith('routed:'))
      .flatMap((i) => {
        const address = i.address === null ? null : loopbackAddress(i.address);
        return address === null ? [] : [{ name: i.name, address }];
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
      streamsReceive: model.streamsReceive,
      streamsSend: model.streamsSend,
      channelsPerStream: model.channelsPerStreamMax,
      rateHz: device.rateHz,
      encoding: device.sendsEncoding ?? encoding,
      packetTimeUs: device.sendsPacketTimeUs ?? packetTimeUs,
    });
  }
  return specs;
}
