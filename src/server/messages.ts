import type { RecordChange } from '../core/plan/changes';
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
}

export interface BatchAnswer {
  readonly revision: number;
  readonly undo: Undoable | null;
  readonly redo: Undoable | null;
}

/** What is new in the field: made once for everyone who looks at the plan. */
export interface FieldMessage {
  /** True when it holds all there is; else only what changed since the last one. */
  readonly isFull: boolean;
  readonly topics: TopicNews;
  /** Events that are new or have grown; all of the newest where the message is full. */
  readonly events: readonly LiveEvent[];
}

export interface PresenceMessage {
  readonly people: readonly Author[];
}
