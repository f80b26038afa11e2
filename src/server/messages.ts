import type { NodeReading } from '../field/nodes-client';
import type { Model } from '../core/models/models-table';
import type { RecordChange } from '../core/plan/changes';
import type { TableName } from '../core/plan/tables';
import type { SendProgress, SendReport } from '../field/send-report';
import type { LiveEvent } from '../field/live/happenings';
import type { TopicNews } from '../field/live/topics';

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
  /** By author: what of theirs an undo made possible to take back again, after it had been passed over. */
  readonly regained?: Readonly<Record<string, Undoable>>;
}

export interface BatchAnswer {
  readonly revision: number;
  readonly undo: Undoable | null;
  readonly redo: Undoable | null;
}

/** A record that an undo, a redo or a step back left as it is. */
export interface LeftMessage {
  readonly table: TableName;
  readonly record: string;
  /** The record as it was wanted, or as it was where it was to go. */
  readonly value: unknown;
  /** Somebody changed it since; what it needs is gone; something else needs it. */
  readonly why: 'changed' | 'gone' | 'in-use';
  /** What is gone, or needs it. */
  readonly needs: string | null;
  /** Who changed it last, and by what. */
  readonly by: string | null;
  readonly title: string | null;
}

export interface UndoAnswer extends BatchAnswer {
  readonly title: string;
  /** False: nothing of it could be; the one before is next. */
  readonly isDone: boolean;
  readonly left: readonly LeftMessage[];
}

/** A step of the plan's history. */
export interface HistoryEntry {
  readonly id: number;
  readonly revision: number;
  readonly kind: 'do' | 'undo' | 'redo';
  readonly title: string;
  readonly author: Author;
  readonly at: number;
  readonly records: number;
  /** Undone now by whoever did it. */
  readonly isUndone: boolean;
  /** False: it notes what was done to devices, and to take it back would claim that nothing was ever sent to them. */
  readonly isUndoable: boolean;
  /** False: what it changed was folded into the plan, so that it can neither be read nor taken back. */
  readonly isKept: boolean;
}

export interface HistoryPage {
  readonly entries: readonly HistoryEntry[];
  /** Where the next page begins; null: this was the last. */
  readonly before: number | null;
}

/** What a step did to one record, and whether that still stands. */
interface HistoryChange {
  readonly table: TableName;
  readonly record: string;
  readonly before: unknown;
  readonly after: unknown;
  /** False: it was changed since, or is as it was before already. */
  readonly stands: boolean;
  readonly by: string | null;
}

export interface HistoryDetail {
  readonly entry: HistoryEntry;
  /** The first of them. */
  readonly changes: readonly HistoryChange[];
}

/** Lanes from one place to another. */
export interface PlanRibbon {
  readonly from: string;
  readonly to: string;
  readonly channels: number;
  readonly refused: number;
}

/** What the list of plans says of one. */
export interface PlanOverview {
  readonly revision: number;
  readonly places: number;
  readonly devices: number;
  readonly lanes: number;
  readonly refusals: number;
  readonly cautions: number;
  readonly changedBy: { readonly name: string; readonly title: string } | null;
  /** The widest first. */
  readonly ribbons: readonly PlanRibbon[];
  /** Null: no field is followed. */
  readonly field: { readonly answering: number; readonly followed: number; readonly offline: number } | null;
}

/** What is new in the field: made once for everyone who looks at the plan. */
export interface FieldMessage {
  /** True when it holds all there is; else only what changed since the last one. */
  readonly isFull: boolean;
  readonly topics: TopicNews;
  /** Events that are new or have grown; all of the newest where the message is full. */
  readonly events: readonly LiveEvent[];
}

/** A version of a model in the library. */
export interface LibraryVersion {
  readonly version: number;
  /** Null: it was taken out of the library. */
  readonly model: Model | null;
  readonly by: string;
  readonly at: number;
  readonly note: string;
}

/** A model of the library in its newest version. */
export interface LibraryEntry extends LibraryVersion {
  readonly modelId: string;
}

/** What became of a send of lanes, and why the plan could not note it; null: it did. */
export type LanesReport = Omit<SendReport, 'put' | 'drop'> & { readonly notNoted: string | null };

/** What is reported while a send is under way, and at its end what became of it or why it could not be. */
export type SendNews<Report = LanesReport> =
  /** Another send is telling devices that this one needs. */
  | { readonly kind: 'waiting' }
  | { readonly kind: 'begun'; readonly deviceIds: readonly string[] }
  | ({ readonly kind: 'progress' } & SendProgress)
  | { readonly kind: 'ended'; readonly report: Report }
  | { readonly kind: 'refused'; readonly code: string; readonly message: string; readonly field: string | null };

/** A send that waits for its moment. */
export interface TimedSend {
  readonly id: string;
  readonly author: Author;
  /** By the server's clock that only goes forward, in ms. */
  readonly at: number;
  readonly channels: number;
}

export interface PresenceMessage {
  readonly people: readonly Author[];
  readonly timedSends: readonly TimedSend[];
}

/** A node that is read by its address. */
export interface NodeByAddress {
  /** Up to the port. */
  readonly url: string;
  /** Who typed it in, and when; null: it was set at the start. */
  readonly by: string | null;
  readonly at: number | null;
  /** How it was the last time; null: it was not read yet. */
  readonly reading: NodeReading | null;
  /** Why it is not asked, in words; null: it is. */
  readonly refusal: string | null;
}

/** Device discovery. */
export interface FieldPlaces {
  /** Null: nowhere. */
  readonly followed: { readonly name: string; readonly isConnected: boolean; readonly because: string | null } | null;
  readonly nodes: readonly NodeByAddress[];
  /** The adapters of the server's computer. */
  readonly adapters: readonly {
    readonly name: string;
    readonly address: string;
    readonly network: string;
    readonly isUsed: boolean;
  }[];
  /** Null: nobody, all of them are used. */
  readonly chosenBy: { readonly name: string; readonly at: number } | null;
}
