import { inverseOf, recordAt, touchedKey, type RecordChange } from '../core/plan/changes';
import { takeBack, type LeftAsItIs } from '../core/edits/take-back';
import { applyCommands, type ApplyResult } from '../core/plan/apply-commands';
import type { Command } from '../core/plan/commands';
import { atOnce, type InSteps } from '../core/plan/in-steps';
import { visible } from '../core/plan/visible-text';
import type { CommandProblem } from '../core/plan/draft';
import type { Plan } from '../core/plan/plan';
import { RevisionTaken, type EntryTitle, type JournalRow, type NewEntry } from '../store/plan-store';
import { writtenInSteps, type WrittenChanges } from '../store/written-changes';
import type { Author, BatchAnswer, LeftMessage, Undoable, UndoAnswer } from './messages';
import { dropSession, sessionOf } from './sessions';
import type { PlanSession } from './plan-session';
import { RequestProblem } from './problem';
import { serverState } from './state';

interface Batch {
  readonly baseRevision: number;
  readonly title: string;
  readonly commands: readonly Command[];
  readonly author: Author;
}

export function openSession(planId: string): PlanSession {
  const session = sessionOf(planId);
  if (session === null) throw new RequestProblem(404, 'no-plan', 'There is no such plan.', 'planId');
  return session;
}

/** As openSession, to change the plan or to send it: one that was put away has to be brought back first. */
export function openForChange(planId: string): PlanSession {
  const session = openSession(planId);
  if (serverState().store.find(planId)?.removedAt != null) {
    throw new RequestProblem(409, 'removed', 'This plan was removed. Restore it to change it.', 'planId');
  }
  return session;
}

/** Notes what devices were sent, whatever else was changed meanwhile. */
export function noteSent(
  session: PlanSession,
  command: Extract<Command, { kind: 'keep-sent-streams' }>,
  title: string,
  author: Author,
): void {
  const result = applyCommands(session.plan, [command]);
  if (!result.ok) throw commandProblem(result.problem, false);
  if (result.changes.length === 0) return;
  commit(session, { ...result, entry: { kind: 'do', isUndoable: false, ofEntryId: null, title, author } });
}

/** Enters in the journal what was done to devices, where the plan says the same before and after. */
export function noteDone(session: PlanSession, title: string, author: Author): void {
  const entry = { kind: 'do', isUndoable: false, ofEntryId: null, title, author } as const;
  commit(session, { plan: session.plan, changes: [], entry });
}

/**
 * Applies a batch: all of it, in one transaction that is on the disk before anyone knows of it, or nothing. A batch that was
 * made against an older revision is applied to the current one when it touches nothing that changed since.
 */
export function* applyBatch(planId: string, batch: Batch): InSteps<BatchAnswer> {
  const { answer } = yield* changeInSteps(planId, (session) => {
    const { plan, changes } = appliedTo(session, batch);
    const { title, author } = batch;
    return { plan, changes, entry: { kind: 'do', isUndoable: true, ofEntryId: null, title: visible(title), author } };
  });
  return answer;
}

function appliedTo(session: PlanSession, { baseRevision, commands }: Batch): PlanAfter {
  if (baseRevision > session.revision) {
    throw new RequestProblem(
      400,
      'unknown-revision',
      `Revision ${baseRevision} does not exist: the plan is at ${session.revision}.`,
      'baseRevision',
    );
  }
  const since = baseRevision < session.revision ? serverState().store.entriesSince(session.id, baseRevision) : [];
  if (since === null) {
    const message = 'Too much has changed since you opened the plan. Nothing was changed: reload the page.';
    throw new RequestProblem(409, 'conflict', message, 'baseRevision');
  }
  const result = applyCommands(session.plan, commands);
  if (!result.ok) throw commandProblem(result.problem, since.length > 0);
  refuseConflicts(session, result.changes, since, 'This was changed by someone else in the meantime.');
  return result;
}

/**
 * Takes back the author's newest batch that stands, as far as nobody changed the same records since. What cannot be taken back is
 * told; a batch of which nothing can be is passed over, so that the one before it can be reached.
 */
export function* undo(planId: string, author: Author): InSteps<UndoAnswer> {
  const { store } = serverState();
  return yield* reapply(planId, 'undo', author, () => {
    const next = store.nextFor(planId, author.id).undo;
    const entry = next && store.entry(next.id);
    if (entry === null) throw new RequestProblem(409, 'nothing-to-undo', 'There is nothing of yours to undo.');
    return { original: entry, of: entry };
  });
}

/** Does again what the author last undid, as far as that can be. */
export function* redo(planId: string, author: Author): InSteps<UndoAnswer> {
  const { store } = serverState();
  return yield* reapply(planId, 'redo', author, () => {
    const next = store.nextFor(planId, author.id).redo;
    const undone = next && store.entry(next.id);
    const original = undone?.ofEntryId ? store.entry(undone.ofEntryId) : null;
    if (undone === null || original === null) {
      throw new RequestProblem(409, 'nothing-to-redo', 'There is nothing of yours to redo.');
    }
    // What the undo took along comes back too.
    return { original, of: undone };
  });
}

interface Reapplied {
  readonly original: JournalRow;
  /** The entry whose changes are taken back: the original, or its undo. */
  readonly of: JournalRow;
}

function* reapply(planId: string, kind: 'undo' | 'redo', author: Author, next: () => Reapplied): InSteps<UndoAnswer> {
  const { answer, change } = yield* changeInSteps(planId, (session) => {
    const { original, of } = next();
    const { left, ...taken } = takeBack(session.plan, inverseOf(of.changes));
    const entry = { kind, isUndoable: true, ofEntryId: original.id, title: original.title, author };
    return { ...taken, entry, of, left: leftMessages(session, left, of.revision) };
  });
  const isDone = change.changes.length > 0;
  if (isDone) return { ...answer, title: change.entry.title, isDone, left: change.left };
  serverState().store.setSpent(change.of.id);
  return { ...answerTo(openSession(planId), author.id), title: change.entry.title, isDone, left: change.left };
}

/** What stays as it is, with who changed it last since a revision. */
export function leftMessages(session: PlanSession, left: readonly LeftAsItIs[], sinceRevision: number): LeftMessage[] {
  const later = left.length === 0 ? [] : (serverState().store.entriesSince(session.id, sinceRevision) ?? []);
  const byRecord = new Map<string, JournalRow>();
  for (const entry of later) for (const change of entry.changes) byRecord.set(touchedKey(change), entry);
  return left.map(({ change, why, value }) => {
    const record = touchedKey(change);
    const by = why === 'changed' ? byRecord.get(record) : undefined;
    const shown = change.after ?? change.before;
    return {
      table: change.table,
      record,
      value: shown,
      why,
      needs: value,
      by: by?.authorName ?? null,
      title: by?.title ?? null,
    };
  });
}

function recordOf(session: PlanSession, change: RecordChange): unknown {
  return recordAt(session.plan, change);
}

interface Entry {
  readonly kind: 'do' | 'undo' | 'redo';
  readonly isUndoable: boolean;
  readonly ofEntryId: number | null;
  readonly title: string;
  readonly author: Author;
}

type PlanAfter = Pick<Extract<ApplyResult, { ok: true }>, 'plan' | 'changes'>;

/** A change to a plan with its entry in the journal. */
interface Change extends PlanAfter {
  readonly entry: Entry;
}

/** So often a change is worked out with rests in it, for others to come in between. */
const TRIES_WITH_RESTS = 2;

/**
 * Works out a change and commits it; one that changes nothing is not entered. A large one takes long, so others come in
 * between. Where they changed the same plan, it is worked out again; the last try has no rests.
 */
export function* changeInSteps<C extends Change>(
  planId: string,
  workOut: (session: PlanSession) => C,
): InSteps<{ readonly change: C; readonly answer: BatchAnswer }> {
  for (let tries = 1; ; tries += 1) {
    const mayRest = tries <= TRIES_WITH_RESTS;
    const session = openForChange(planId);
    const { plan: before } = session;
    const change = workOut(session);
    if (change.changes.length === 0) return { change, answer: answerTo(session, change.entry.author.id) };
    if (mayRest) yield;
    const writing = writtenInSteps(change.changes);
    const written = mayRest ? yield* writing : atOnce(writing);
    if (mayRest) yield;
    if (openForChange(planId) !== session || session.plan !== before) continue;
    return { change, answer: commit(session, change, written) };
  }
}

function commit(
  session: PlanSession,
  { plan, changes, entry }: Change,
  written: WrittenChanges = atOnce(writtenInSteps(changes)),
): BatchAnswer {
  const { author, ...rest } = entry;
  const isRenamed = plan.settings.name !== session.plan.settings.name;
  const revision = session.revision + 1;
  const newEntry = { ...rest, changes, authorId: author.id, authorName: author.name };
  const row = appended(session, revision, newEntry, written);
  const message = { revision, kind: row.kind, title: row.title, author, at: row.at };
  const regained = row.kind === 'do' ? [] : regainedBy(session.id, plan, changes);
  const told = regained.length === 0 ? message : { ...message, regained: Object.fromEntries(regained) };
  session.advance(plan, told, written.all);
  if (isRenamed) serverState().runs.readAgain();
  return answerTo(session, author.id);
}

/**
 * Steps that undo passed over, as somebody had replaced what they had done: where that stands again, they can be taken back again.
 * By author, what is next of theirs.
 */
function regainedBy(
  planId: string,
  plan: Plan,
  changes: readonly RecordChange[],
): [authorId: string, next: Undoable][] {
  const { store } = serverState();
  const touched = new Set(changes.map(touchedKey));
  const regained = store
    .passedOver(planId)
    .filter(
      (e) =>
        e.changes.some((c) => touched.has(touchedKey(c))) && takeBack(plan, inverseOf(e.changes)).changes.length > 0,
    );
  for (const { id } of regained) store.setSpent(id, false);
  return [...new Set(regained.map((e) => e.authorId))].flatMap((authorId) => {
    const next = store.nextFor(planId, authorId).undo;
    return next === null ? [] : [[authorId, { entryId: next.id, title: next.title }] as [string, Undoable]];
  });
}

/** Writes the journal; a plan that another process has changed is read again the next time. */
function appended(session: PlanSession, revision: number, entry: NewEntry, written: WrittenChanges): JournalRow {
  try {
    return serverState().store.append(session.id, revision, entry, Date.now(), written);
  } catch (error) {
    if (!(error instanceof RevisionTaken)) throw error;
    dropSession(session.id);
    throw new RequestProblem(
      409,
      'conflict',
      'Another process has changed this plan in the same database. Nothing was changed: open the plan again.',
      'baseRevision',
    );
  }
}

export function answerTo(session: PlanSession, authorId: string): BatchAnswer {
  const shown = (row: EntryTitle | null): Undoable | null => row && { entryId: row.id, title: row.title };
  const { undo, redo } = serverState().store.nextFor(session.id, authorId);
  return { revision: session.revision, undo: shown(undo), redo: shown(redo) };
}

function refuseConflicts(
  session: PlanSession,
  changes: readonly RecordChange[],
  since: readonly JournalRow[],
  message: string,
): void {
  if (since.length === 0) return;
  const touched = new Map(changes.map((c) => [touchedKey(c), c]));
  const conflicts = new Map<string, unknown>();
  for (const entry of since) {
    for (const theirs of entry.changes) {
      const key = touchedKey(theirs);
      const yours = touched.get(key);
      if (yours === undefined) continue;
      conflicts.set(key, {
        record: key,
        yours: yours.after,
        theirs: recordOf(session, theirs),
        by: entry.authorName,
        at: entry.at,
        title: entry.title,
      });
    }
  }
  if (conflicts.size === 0) return;
  throw new RequestProblem(409, 'conflict', message, null, {
    revision: session.revision,
    conflicts: [...conflicts.values()],
  });
}

function commandProblem(problem: CommandProblem, isStale: boolean): RequestProblem {
  const { field, value, limit } = problem;
  const words = {
    unknown: `${field}: there is no ${value}.`,
    exists: `${field}: ${value} exists already.`,
    'in-use': `${field}: ${value} still uses it.`,
    'out-of-range': `${field}: ${value} is not in the range ${limit ?? ''}.`,
  }[problem.reason];
  const status = isStale ? 409 : problem.reason === 'unknown' ? 404 : 400;
  return new RequestProblem(status, isStale ? 'conflict' : problem.reason, words, field);
}
