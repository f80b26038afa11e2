import type { RecordChange } from '../core/plan/changes';
import type { MapLimits } from '../core/models/models-table';
import type { FoundLink } from '../core/findings/field-facts';
import type { ClockEvent, FoundClock } from '../field/clock-watch';
import type { NodeInterface } from '../core/formats/is04';
import type { FoundNode } from '../core/edits/import-nodes';
import type { DeviceFailure } from '../field/http-json';
import type { FieldOnly, LaneEvidence } from '../field/lane-state';

/** What the server tells browsers. Types only: the interface imports them. */

export interface Author {
  readonly id: string;
  readonly name: string;
}

/** What undo or redo would take: its journal id and its words. */
export interface Undoable {
  readonly entryId: number;
  readonly title: string;
}

export interface ChangeMessage {
  readonly revision: number;
  readonly changes: readonly RecordChange[];
  readonly kind: 'do' | 'undo' | 'redo';
  readonly title: string;
  readonly author: Author;
  readonly at: number;
}

export interface BatchAnswer {
  readonly revision: number;
  readonly undo: Undoable | null;
  readonly redo: Undoable | null;
}

export interface DeviceFieldView {
  readonly nodeId: string;
  readonly nodeLabel: string;
  readonly boundBy: 'hand' | 'serial' | 'address';
  /** Addresses at which it says it answers, as the plan would write them. */
  readonly addresses: readonly string[];
  readonly interfaces: readonly NodeInterface[];
  readonly failure: DeviceFailure | null;
  /** How it feeds its channels from streams, by its channel map; null: not read, or it hears nothing. */
  readonly receiveMap: { readonly limits: MapLimits | null } | null;
  /** What it reports of its clock, and since when. */
  readonly clock: (FoundClock & { readonly since: number }) | null;
  readonly lanes: Readonly<Record<number, LaneEvidence>>;
  readonly fieldOnly: Readonly<Record<number, FieldOnly>>;
}

/** A node that no device of the plan is bound to. */
export type UnknownNode = FoundNode;

export interface FieldMessage {
  /** True when `devices` holds all there is; else only what changed. */
  readonly isFull: boolean;
  readonly registry: { readonly url: string; readonly isConnected: boolean; readonly because: string | null } | null;
  /** By plan device; null: no node is bound to it any more. Devices without a node may still have lanes: see `waiting`. */
  readonly devices: Readonly<Record<string, DeviceFieldView | null>>;
  /** Lane states of receiving devices that are not there. */
  readonly absent: Readonly<Record<string, Readonly<Record<number, LaneEvidence>> | null>>;
  readonly unknown: readonly UnknownNode[] | null;
  /** By cable: how switches say that it came up. Null: no news. */
  readonly links: Readonly<Record<string, FoundLink>> | null;
  /** By switch that has an address. Null: no news. */
  readonly switches: Readonly<Record<string, SwitchFieldView>> | null;
  /** What is announced on the network (SAP). Null: no news. */
  readonly announced: AnnouncedView | null;
  /** What happened to clocks, the newest first. Null: no news. */
  readonly clockEvents: readonly ClockEvent[] | null;
}

/** Sessions that are announced, with addresses as the plan would write them. */
export interface AnnouncedView {
  /** The adapters that are listened on; why not where that fails. Empty: announcements are not listened for. */
  readonly places: readonly { readonly address: string; readonly port: number; readonly problem: string | null }[];
  readonly sessions: readonly {
    readonly origin: string;
    readonly sdp: string;
    readonly firstHeardAt: number;
    readonly lastHeardAt: number;
  }[];
}

export interface SwitchFieldView {
  /** When it last answered; null: never yet. */
  readonly readAt: number | null;
  /** Why it does not answer now. */
  readonly failure: DeviceFailure | null;
}

export interface PresenceMessage {
  readonly people: readonly Author[];
}
