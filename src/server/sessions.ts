import { soundPlan, soundPlanInSteps, type SoundPlan } from '../core/plan/integrity';
import { reckonInSteps } from '../core/reckon/reckon';
import type { Reckoning } from '../core/reckon/reckoning';
import type { LoadedPlan } from '../store/plan-store';
import type { FieldNews } from '../field/field-snapshot';
import { steadyNow } from '../field/steady-clock';
import { logger } from './logger';
import { PlanSession } from './plan-session';
import { serverState, type ServerState } from './state';
import { stepByStep } from './step-by-step';

/** The plans that anyone works on. */

/**
 * A plan at which nobody has looked for so long is dropped from memory; the database has all of it. A plan that carries is
 * watched on, so that its journal knows what happened meanwhile.
 */
export const IDLE_MS = 10 * 60_000;

interface OpenSession {
  readonly session: PlanSession;
  readonly close: () => void;
  usedAt: number;
  /** Its plan was put away: what it carries is nobody's concern until it is brought back. */
  isPutAway: boolean;
}

/** By server: tests have several in a process. */
const openByServer = new WeakMap<ServerState, Map<string, OpenSession>>();

function openSessions(): Map<string, OpenSession> {
  const server = serverState();
  let open = openByServer.get(server);
  if (open === undefined) {
    const sessions = new Map<string, OpenSession>();
    openByServer.set(server, (open = sessions));
    server.onClose.add(() => sessions.forEach(({ close }) => close()));
  }
  return open;
}

/** The session of a plan, loaded from the store when nobody works on it yet; null when there is no such plan. */
export function sessionOf(planId: string): PlanSession | null {
  const open = openSessions();
  dropIdle(open, steadyNow());
  const known = open.get(planId);
  if (known !== undefined) {
    known.usedAt = steadyNow();
    return known.session;
  }
  const loaded = serverState().store.load(planId);
  return loaded === null ? null : keepOpen(planId, loaded, soundPlan(loaded.plan));
}

/** By server and plan: what is being opened now. Whoever asks meanwhile waits for the same. */
const openingByServer = new WeakMap<ServerState, Map<string, Promise<void>>>();

/** Opens a plan that nobody works on yet, so that nobody else waits meanwhile; `sessionOf` has it then, if there is one. */
export function openInParts(planId: string): Promise<void> {
  const server = serverState();
  let opening = openingByServer.get(server);
  if (opening === undefined) openingByServer.set(server, (opening = new Map()));
  let own = opening.get(planId);
  if (own === undefined) {
    if (openSessions().has(planId)) return Promise.resolve();
    opening.set(planId, (own = readInParts(planId).finally(() => opening.delete(planId))));
  }
  return own;
}

async function readInParts(planId: string): Promise<void> {
  const server = serverState();
  const loaded = await server.store.loadInParts(planId);
  if (loaded === null) return;
  const sound = await stepByStep(soundPlanInSteps(loaded.plan));
  const reckoned = await stepByStep(reckonInSteps(sound.plan));
  // Somebody who could not wait has opened it.
  if (serverState() !== server || openSessions().has(planId)) return;
  await stepByStep(keepOpen(planId, loaded, sound, reckoned).lookInSteps(Date.now()));
}

function keepOpen(planId: string, loaded: LoadedPlan, sound: SoundPlan, reckoned?: Reckoning): PlanSession {
  const open = openSessions();
  const { store, onFieldNews, onTimedSends } = serverState();
  const session = new PlanSession(planId, sound.plan, revisionOf(planId, loaded, sound), reckoned);
  const tell = (news: FieldNews) => session.fieldChanged(news);
  const tellSends = (of: string) => of === planId && session.tellPeopleSoon();
  onFieldNews.add(tell);
  onTimedSends.add(tellSends);
  const close = () => {
    onFieldNews.delete(tell);
    onTimedSends.delete(tellSends);
    session.close();
  };
  open.set(planId, { session, close, usedAt: steadyNow(), isPutAway: store.find(planId)?.removedAt !== null });
  return session;
}

/** Watches every plan that carries, from the start of the server on. */
export function watchCarrying(): void {
  for (const planId of serverState().store.plansWith('sentStreams')) {
    try {
      sessionOf(planId)?.fieldChanged();
    } catch (error) {
      // One plan that cannot be opened must not keep the server from starting.
      logger.error({ planId, err: error }, 'a plan that carries could not be watched');
    }
  }
}

/** Says of an open plan that it was put away, or brought back. */
export function notePutAway(planId: string, isPutAway: boolean): void {
  const known = openSessions().get(planId);
  if (known !== undefined) known.isPutAway = isPutAway;
}

/** Forgets a plan as it is held in memory: it is read from the database when it is next asked for. */
export function dropSession(planId: string): void {
  const open = openSessions();
  open.get(planId)?.close();
  open.delete(planId);
}

/** Drops the plans that nobody looks at and nobody has asked for of late. Exported for its test. */
export function dropIdle(open: Map<string, OpenSession> = openSessions(), now: number = steadyNow()): void {
  for (const [planId, { session, close, usedAt, isPutAway }] of open) {
    if (session.isLookedAt || (session.isCarrying && !isPutAway) || now - usedAt < IDLE_MS) continue;
    close();
    open.delete(planId);
  }
}

/** Plans of earlier versions may hold what points at nothing. It is taken out once, and the journal keeps what it was. */
function revisionOf(planId: string, { revision }: LoadedPlan, { changes }: SoundPlan): number {
  if (changes.length === 0) return revision;
  const entry = { kind: 'do', isUndoable: false, ofEntryId: null, changes } as const;
  const author = { authorId: 'jade-lane', authorName: 'Jade Lane' };
  const title = 'Mend what pointed at nothing';
  serverState().store.append(planId, revision + 1, { ...entry, ...author, title }, Date.now());
  return revision + 1;
}
