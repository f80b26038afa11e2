import type { ChannelMap } from '../core/formats/is08';
import {
  readChannelMap,
  readEnd as readConnection,
  readEvent,
  type ConnectionKind,
  type EndReading,
  type EventReading,
} from './device-reader';
import type { DeviceRequests } from './device-requests';
import type { EndPlace } from './carrying-ends';
import type { FieldResources } from './field-resources';
import { steadyNow } from './steady-clock';

/** So many sources of events of one device are read. */
const EVENT_SOURCES_MAX = 256;

/** What devices answered of themselves: their senders and receivers, channel maps and events. Each is asked for in the queue of its device. */
export class DeviceReadings {
  readonly ends = new Map<string, EndReading>();
  readonly channelMaps = new Map<string, ChannelMap>();
  /** By source, its last answer. */
  readonly events = new Map<string, EventReading>();
  /** Senders and receivers that have not answered for too long to say what they do, though their devices answer. */
  readonly notKnown = new Set<string>();

  constructor(
    private readonly registered: FieldResources,
    private readonly requests: DeviceRequests,
    private readonly notKnownAfterMs: () => number = () => Infinity,
  ) {}

  /** Those that carry, by what they said last, or by the registry where they were not read yet. */
  carrying(): EndPlace[] {
    const found: EndPlace[] = [];
    for (const kind of ['senders', 'receivers'] as const) {
      for (const id of this.registered.ids(kind)) {
        if (this.ends.get(id)?.active.isEnabled ?? this.registered.end(kind, id)?.isActive) found.push([kind, id]);
      }
    }
    return found;
  }

  forgetEnd(id: string): void {
    this.ends.delete(id);
    this.notKnown.delete(id);
  }

  askForAll(deviceId: string): void {
    this.askForEnds(deviceId);
    this.askForMap(deviceId);
    this.askForEvents(deviceId);
  }

  askForEnds(deviceId: string): void {
    for (const [kind, id] of this.endsOf(deviceId)) this.askForEnd(kind, id);
  }

  /** The senders of a device, then its receivers. */
  endsOf(deviceId: string): (readonly [ConnectionKind, string])[] {
    return (['senders', 'receivers'] as const).flatMap((kind) =>
      [...this.registered.endIds(kind, deviceId)].map((id) => [kind, id] as const),
    );
  }

  askForEnd(kind: ConnectionKind, id: string): void {
    const end = this.registered.end(kind, id);
    const href = end && this.registered.device(end.deviceId)?.connectionHref;
    if (!end || !href) return;
    this.requests.queue(end.deviceId, id, async () => {
      const before = this.ends.get(id);
      let reading: EndReading;
      try {
        reading = await readConnection(href, kind, id);
      } catch (error) {
        if (before !== undefined && steadyNow() - before.readAt > this.notKnownAfterMs()) this.notKnown.add(id);
        throw error;
      }
      this.notKnown.delete(id);
      if (this.registered.end(kind, id) === undefined) return;
      // What it was sent meanwhile may have come after this reading was made.
      if (this.ends.get(id) === before) this.ends.set(id, reading);
      else this.askForEnd(kind, id);
    });
  }

  askForMap(deviceId: string): void {
    const href = this.registered.device(deviceId)?.channelMapHref;
    if (!href) return;
    this.requests.queue(deviceId, 'map', async () => {
      const map = await readChannelMap(href);
      if (this.registered.device(deviceId) !== undefined) this.channelMaps.set(deviceId, map);
    });
  }

  /** What its sources of events tell, one after the other. */
  askForEvents(deviceId: string): void {
    const href = this.registered.device(deviceId)?.eventsHref;
    const sources = this.registered.eventSourcesOf(deviceId).slice(0, EVENT_SOURCES_MAX);
    if (!href || sources.length === 0) return;
    this.requests.queue(deviceId, 'events', async () => {
      for (const { id } of sources) {
        const reading = await readEvent(href, id);
        if (reading === null) this.events.delete(id);
        else if (this.registered.eventSourcesOf(deviceId).some((s) => s.id === id)) this.events.set(id, reading);
      }
    });
  }
}
