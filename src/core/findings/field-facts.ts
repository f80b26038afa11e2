import type { TimeKeeping } from '../clocks/kept-time';
import type { ChannelRange, MapLimits } from '../models/models-table';
import type { FoundPatch } from '../patch/patch-in-field';
import type { ChannelFigures } from '../signal/telemetry';
import type { Plan } from '../plan/plan';
import type { About } from './finding';
import type { Rule } from './rule';

/** What a device in the field reports of its clock. */
export interface ReportedClock {
  readonly gmid: string | null;
  readonly locked: boolean;
}

/** How a cable came up, as a switch at one of its ends reports it. */
export interface FoundLink {
  readonly isUp: boolean;
  readonly bitsPerSecond: number | null;
  readonly duplex: 'full' | 'half' | null;
}

/** How a device maps its channels to streams: freely, within limits; or, without a channel map, as far as it tells of its streams. */
export type FoundMapping = {
  /** Set where it is bound to a node as a whole that has several devices with channel maps of their own: which these are. */
  readonly apart?: {
    readonly nodeId: string;
    readonly parts: readonly { readonly nodeDeviceId: string; readonly label: string }[];
  };
} & (
  | {
      readonly has: 'map';
      /** Of the streams that it receives, and of its own channels; null: one by one, in any order. Missing: it has none. */
      readonly receive?: MapLimits | null;
      readonly send?: MapLimits | null;
    }
  | {
      readonly has: 'no-map';
      /** Null: it has no such streams. */
      readonly sendOrder: readonly ChannelRange[] | null;
      readonly receiveOrder: readonly ChannelRange[] | null;
    }
);

/** Where a device is asked: the address as the plan would write it, and the adapter of the server that reaches it without a router. */
export interface FoundAt {
  readonly address: string;
  readonly adapter: string | null;
}

/** What the field tells, by the ids of the plan, beside the plan that it is held against. */
export interface FieldFacts extends Plan {
  readonly foundLinks: ReadonlyMap<string, FoundLink>;
  readonly foundClocks: ReadonlyMap<string, ReportedClock>;
  /** How nodes call themselves. */
  readonly foundNames: ReadonlyMap<string, string>;
  readonly foundMappings: ReadonlyMap<string, FoundMapping>;
  /** How devices lead their inputs to their outputs. */
  readonly foundPatches: ReadonlyMap<string, FoundPatch>;
  /** What devices report of single channels. */
  readonly foundFigures: ReadonlyMap<string, ChannelFigures>;
  readonly foundAt: ReadonlyMap<string, FoundAt>;
  /** By subnet: the adapters of the server that reach its hosts without a router. */
  readonly seenBy: ReadonlyMap<string, readonly string[]>;
  /** What time it is, milliseconds since 1970. */
  readonly now: number;
  /** Who keeps time by the plan. */
  readonly keptTime: Pick<TimeKeeping, 'byDevice'>;
}

/** A rule about what devices report, held against the plan. */
export const fieldRule = <const A extends About, const R extends keyof FieldFacts>(
  declaration: Rule<FieldFacts, A, R>,
): typeof declaration => declaration;
