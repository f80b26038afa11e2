import type { UsedAdapter } from './adapters';
import type { EndReading, EventReading } from './device-reader';
import type { ChannelMap } from '../core/formats/is08';
import type { DeviceFailure } from './http-json';
import type { SourceResource } from '../core/formats/is04';
import type { FieldNode } from './field-resources';

export interface FieldSnapshot {
  readonly registryUrl: string;
  /** Whether it has answered at all yet: before that nothing can be said of any device. */
  readonly wasHeard: boolean;
  readonly isConnected: boolean;
  readonly disconnectedBecause: string | null;
  readonly nodes: ReadonlyMap<string, FieldNode>;
  readonly sourceOfSender: (senderId: string) => string | null;
  /** How many channels a sender's source has; null: not said. */
  readonly channelsOfSender: (senderId: string) => number | null;
  readonly readings: ReadonlyMap<string, EndReading>;
  readonly channelMaps: ReadonlyMap<string, ChannelMap>;
  /** The sources of events of a device, and by source the last answer of each. */
  readonly eventSourcesOf: (deviceId: string) => readonly SourceResource[];
  readonly events: ReadonlyMap<string, EventReading>;
  /** How long it takes at most until a device that stops answering is noticed, in ms. */
  readonly noticedWithinMs: number;
  /** After so long without an answer it is not known any more what a device does, in ms. */
  readonly notKnownAfterMs: number;
  /** By IS-04 device id: why the last reading of it failed. */
  readonly failures: ReadonlyMap<string, DeviceFailure>;
  /** By IS-04 device id: when it last answered a request, in ms since 1970. */
  readonly answeredAt: ReadonlyMap<string, number>;
  /** By node: the address of who reported it last (a registry, or itself), and when, in ms since 1970. */
  readonly toldOf: ReadonlyMap<string, { readonly from: string; readonly at: number }>;
  /** IS-04 devices that have not reported for too long to say what they do. */
  readonly notKnown: ReadonlySet<string>;
  /** Senders and receivers that have not answered for too long to say what they do, though their devices answer. */
  readonly notKnownEnds: ReadonlySet<string>;
  /** Nodes whose id another one claims too. */
  readonly contestedIds: ReadonlySet<string>;
  /** By which adapters of this computer devices can be reached. */
  readonly adapters: readonly UsedAdapter[];
}

/** What changed in the field since it was last reported. */
export interface FieldNews {
  /** Nodes that came, went, or of which anything else is known than before. */
  readonly nodes: ReadonlySet<string>;
}
