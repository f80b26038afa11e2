import type { ReportedClock } from '@/core/findings/field-facts';
import type { FoundLink } from '@/core/findings/field-facts';
import type { MapLimits } from '@/core/models/models-table';
import { sameValue } from '@/core/plan/same-value';
import type { AnnouncedView, DeviceFieldView, FieldMessage, SwitchFieldView, UnknownNode } from '@/server/messages';
import type { ClockEvent } from '@/field/clock-watch';
import type { LaneEvidence } from '@/field/lane-state';

/** What devices and switches report, as the page holds it. */

export interface FieldView {
  readonly registry: FieldMessage['registry'];
  readonly devices: ReadonlyMap<string, DeviceFieldView>;
  readonly absent: ReadonlyMap<string, Readonly<Record<number, LaneEvidence>>>;
  readonly unknown: readonly UnknownNode[];
  /** By cable: how it came up, where a switch says. */
  readonly links: ReadonlyMap<string, FoundLink>;
  readonly switches: ReadonlyMap<string, SwitchFieldView>;
  /** What devices report of their clocks; the same map for as long as none changed. */
  readonly clocks: ReadonlyMap<string, ReportedClock>;
  /** What devices say they are called; the same map for as long as none changed. */
  readonly names: ReadonlyMap<string, string>;
  /** How devices say that their channels are fed; the same map for as long as none changed. */
  readonly receiveMaps: ReadonlyMap<string, MapLimits | null>;
  readonly clockEvents: readonly ClockEvent[];
  readonly announced: AnnouncedView;
}

/** Nothing is known of any device. */
export const NO_FIELD: FieldView = {
  registry: null,
  devices: new Map(),
  absent: new Map(),
  unknown: [],
  links: new Map(),
  switches: new Map(),
  clocks: new Map(),
  names: new Map(),
  receiveMaps: new Map(),
  clockEvents: [],
  announced: { places: [], sessions: [] },
};

/** What is known after a message: news names only what changed. */
export function mergedField(field: FieldView, message: FieldMessage): FieldView {
  const devices = new Map(message.isFull ? [] : field.devices);
  for (const [id, view] of Object.entries(message.devices)) {
    if (view === null) devices.delete(id);
    else devices.set(id, view);
  }
  const absent = new Map(message.isFull ? [] : field.absent);
  for (const [id, lanes] of Object.entries(message.absent)) {
    if (lanes === null) absent.delete(id);
    else absent.set(id, lanes);
  }
  return {
    registry: message.registry ?? field.registry,
    devices,
    absent,
    unknown: message.unknown ?? field.unknown,
    links: message.links === null ? field.links : new Map(Object.entries(message.links)),
    switches: message.switches === null ? field.switches : new Map(Object.entries(message.switches)),
    clocks: keptOf(field.clocks, devices, ({ clock }) =>
      clock === null ? undefined : { gmid: clock.gmid, locked: clock.locked },
    ),
    names: keptOf(field.names, devices, ({ nodeLabel }) => nodeLabel),
    receiveMaps: keptOf(field.receiveMaps, devices, ({ receiveMap }) => receiveMap?.limits),
    clockEvents: message.clockEvents ?? field.clockEvents,
    announced: message.announced ?? field.announced,
  };
}

/** One fact of every device that tells it; the map of before where all facts are the same. */
function keptOf<T>(
  before: ReadonlyMap<string, T>,
  devices: ReadonlyMap<string, DeviceFieldView>,
  factOf: (view: DeviceFieldView) => T | undefined,
): ReadonlyMap<string, T> {
  const now = new Map<string, T>();
  for (const [id, view] of devices) {
    const fact = factOf(view);
    if (fact !== undefined) now.set(id, fact);
  }
  const isSame = now.size === before.size && [...now].every(([id, fact]) => sameValue(before.get(id), fact));
  return isSame ? before : now;
}
