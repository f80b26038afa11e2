import { takeBack } from '../core/edits/take-back';
import { inverseOf, recordAt, touchedKey, type RecordChange } from '../core/plan/changes';
import type { InSteps } from '../core/plan/in-steps';
import { sameValue } from '../core/plan/same-value';
import type { JournalEntry, JournalRow } from '../store/plan-store';
import { changeInSteps, leftMessages, openSession } from './edit';
import type { Author, HistoryDetail, HistoryEntry, HistoryPage, UndoAnswer } from './messages';
import { RequestProblem } from './problem';
import { serverState } from './state';

/** What was done to a plan: who, what, when; and taking any step of it, or part of one, back. */

const PAGE = 50;
/** A step of more records than this is shown by its first ones. */
const CHANGES_SHOWN = 500;

/** So much of what a step changed is in one answer, in bytes of JSON. */
const DETAIL_MAX_BYTES = 2_000_000;

const entryOf = (row: JournalEntry, undone: ReadonlySet<number>): HistoryEntry => ({
  ...{ id: row.id, revision: row.revision, kind: row.kind, title: row.title, at: row.at },
  ...{ isUndone: undone.has(row.id), isUndoable: row.isUndoable },
  author: { id: row.authorId, name: row.authorName },
  records: row.records,
  isKept: row.bytes > 0,
});

/** The steps of a plan, the newest first; with a device only those that changed it or anything that names it. */
export function history(planId: string, { before, device }: { before?: number; device?: string }): HistoryPage {
  openSession(planId);
  const { store } = serverState();
  const about =
    device === undefined ? null : { text: JSON.stringify(device), takes: (c: RecordChange) => concerns(c, device) };
  const rows = store.history(planId, { beforeId: before ?? Number.MAX_SAFE_INTEGER, limit: PAGE + 1, about });
  const shown = rows.slice(0, PAGE);
  const undone = store.undone(shown.map((r) => r.id));
  return {
    entries: shown.map((r) => entryOf(r, undone)),
    before: rows.length > PAGE ? (shown.at(-1) as JournalEntry).id : null,
  };
}

/** Whether a change is about a device: it is its record, or names it. */
function concerns({ before, after }: RecordChange, deviceId: string): boolean {
  return [before, after].some((record) => names(record, deviceId));
}

function names(value: unknown, id: string): boolean {
  if (typeof value === 'string') return value === id;
  return typeof value === 'object' && value !== null && Object.values(value).some((v) => names(v, id));
}

function rowOf(planId: string, entryId: number): JournalRow {
  const row = serverState().store.entry(entryId);
  if (row === null || row.planId !== planId) {
    throw new RequestProblem(404, 'no-entry', 'There is no such step in the history of this plan.', 'entryId');
  }
  return row;
}

/** What a step did, record by record, and whether it still stands. */
export function historyEntry(planId: string, entryId: number): HistoryDetail {
  const session = openSession(planId);
  const row = rowOf(planId, entryId);
  const later = serverState().store.entriesSince(planId, row.revision) ?? [];
  const changedBy = new Map<string, string>();
  for (const entry of later) for (const c of entry.changes) changedBy.set(touchedKey(c), entry.authorName);
  const changes = firstOf(row.changes).map((change) => {
    const record = touchedKey(change);
    const stands = sameValue(recordAt(session.plan, change), change.after);
    const { table, before, after } = change;
    return { table, record, before, after, stands, by: stands ? null : (changedBy.get(record) ?? null) };
  });
  return { entry: entryOf(row, serverState().store.undone([row.id])), changes };
}

/** As many of the first as fit one answer; one at least. */
function firstOf(changes: readonly RecordChange[]): readonly RecordChange[] {
  let bytes = 0;
  const shown = changes.slice(0, CHANGES_SHOWN).findIndex((change, n) => {
    bytes += JSON.stringify(change).length;
    return n > 0 && bytes > DETAIL_MAX_BYTES;
  });
  return changes.slice(0, shown < 0 ? CHANGES_SHOWN : shown);
}

/** Takes a step back, or some of its records, as far as that can be. It is a step of its own, which can be undone. */
export function* takeStepBack(
  planId: string,
  entryId: number,
  author: Author,
  records: readonly string[] | null,
): InSteps<UndoAnswer> {
  const { answer, change } = yield* changeInSteps(planId, (session) => {
    const row = rowOf(planId, entryId);
    const chosen = chosenOf(row, records);
    const { left, ...taken } = takeBack(session.plan, inverseOf(chosen));
    const title = `take back ${chosen.length < row.changes.length ? 'part of ' : ''}“${row.title}”`.slice(0, 200);
    const entry = { kind: 'do' as const, isUndoable: true, ofEntryId: null, title, author };
    return { ...taken, entry, of: row.title, left: leftMessages(session, left, row.revision) };
  });
  return { ...answer, title: change.of, isDone: change.changes.length > 0, left: change.left };
}

function chosenOf(row: JournalRow, records: readonly string[] | null): readonly RecordChange[] {
  if (!row.isUndoable) {
    const message = `“${row.title}” notes what was done to the devices: it is not taken back here.`;
    throw new RequestProblem(409, 'not-undoable', message, 'entryId');
  }
  if (row.bytes === 0) {
    const message = `What “${row.title}” changed is no longer kept: it is too long ago, or too much was changed since.`;
    throw new RequestProblem(409, 'not-undoable', message, 'entryId');
  }
  const wanted = records === null ? null : new Set(records);
  const chosen = row.changes.filter((c) => wanted === null || wanted.has(touchedKey(c)));
  if (chosen.length === 0)
    throw new RequestProblem(400, 'invalid', 'records: none of them is in this step.', 'records');
  return chosen;
}
