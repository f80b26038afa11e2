'use client';

import { wrap, type Remote } from 'comlink';
import { create } from 'zustand';
import { planOfFile } from '@/core/formats/plan-file';
import { applyChanges } from '@/core/plan/changes';
import type { Command } from '@/core/plan/commands';
import type { Plan } from '@/core/plan/plan';

import type { Author, BatchAnswer, ChangeMessage, FieldMessage, PresenceMessage, Undoable } from '@/server/messages';
import type { PreviewResult, ReckonWorker } from '@/workers/reckon-view';
import { api, ApiProblem } from './api';
import { renameAuthor, thisAuthor } from './author';
import { mergedField, NO_FIELD, type FieldView } from './field-view';
import { merged, type View } from './view';

export type { FieldView } from './field-view';
export { NO_FIELD } from './field-view';
export type { View };

export interface Preview {
  /** Where it was asked for: a feed answers for itself, anything else is answered in the preview bar. */
  readonly from: 'feed' | 'fix';
  readonly title: string;
  readonly commands: readonly Command[];
  readonly plan: Plan;
  readonly view: View;
  readonly result: PreviewResult;
}

interface PlanState {
  readonly planId: string | null;
  readonly plan: Plan | null;
  readonly revision: number;
  readonly view: View | null;
  readonly field: FieldView;
  readonly hasField: boolean;
  readonly isLive: boolean;
  readonly people: readonly Author[];
  readonly undo: Undoable | null;
  readonly redo: Undoable | null;
  readonly preview: Preview | null;
  readonly problem: string | null;
}

export const usePlan = create<PlanState>(() => ({
  planId: null,
  plan: null,
  revision: -1,
  view: null,
  field: NO_FIELD,
  hasField: false,
  isLive: false,
  people: [],
  undo: null,
  redo: null,
  preview: null,
  problem: null,
}));

const { getState: get, setState: set } = usePlan;

let worker: Remote<ReckonWorker> | null = null;
let thread: Worker | null = null;
let events: EventSource | null = null;
/** Changes are taken in one after the other, each with its reckoning, so that plan and view always belong together. */
let queue: Promise<unknown> = Promise.resolve();

export function reckonWorker(): Remote<ReckonWorker> {
  if (worker === null) throw new Error('no plan is open');
  return worker;
}

/** Opens a plan: reads it, starts its worker and listens to what happens. Returns what closes it again. */
export function openPlan(planId: string): () => void {
  set({
    planId,
    plan: null,
    revision: -1,
    view: null,
    field: NO_FIELD,
    preview: null,
    problem: null,
    undo: null,
    redo: null,
    isLive: false,
  });
  thread = new Worker(new URL('../../workers/reckon.worker.ts', import.meta.url), { type: 'module' });
  worker = wrap<ReckonWorker>(thread);
  queue = queue.then(readAnew).catch(() => undefined);
  listen(planId);
  return () => {
    events?.close();
    thread?.terminate();
    events = null;
    thread = null;
    worker = null;
    set({ planId: null, plan: null, view: null, preview: null });
  };
}

/** Hears what happens to a plan, and lets the others know who is here. */
function listen(planId: string): void {
  events?.close();
  const author = thisAuthor();
  events = new EventSource(`/api/plans/${planId}/events?author=${author.id}&name=${encodeURIComponent(author.name)}`);
  events.onopen = () => set({ isLive: true });
  events.onerror = () => set({ isLive: false });
  on<{ revision: number }>('hello', ({ revision }) => {
    queue = queue.then(async () => {
      if (get().revision !== -1 && get().revision !== revision) await readAnew();
    });
  });
  on<ChangeMessage>('change', (message) => {
    queue = queue.then(() => takeIn(message)).catch(() => undefined);
  });
  on<FieldMessage>('field', (message) => set({ field: mergedField(get().field, message) }));
  on<PresenceMessage>('people', ({ people }) => set({ people }));
}

/** Goes by another name from now on, here and for everyone who looks at the plan. */
export function goBy(name: string): void {
  renameAuthor(name);
  const { planId } = get();
  if (planId !== null) listen(planId);
}

function on<T>(event: string, take: (data: T) => void): void {
  events?.addEventListener(event, (e) => take(JSON.parse((e as MessageEvent<string>).data) as T));
}

async function readAnew(): Promise<void> {
  const { planId } = get();
  if (planId === null) return;
  try {
    const { file, revision, undo, redo, hasField } = await api.plan(planId, thisAuthor());
    if (get().planId !== planId || worker === null) return;
    const delta = await worker.load(file);
    if (get().planId !== planId) return;
    set({
      plan: planOfFile(file),
      revision,
      view: merged(null, delta),
      undo,
      redo,
      hasField,
      preview: null,
      problem: null,
    });
  } catch (error) {
    set({ problem: error instanceof ApiProblem ? error.message : 'The plan could not be opened.' });
  }
}

async function takeIn(message: ChangeMessage): Promise<void> {
  const { plan, revision } = get();
  if (plan === null || message.revision <= revision) return;
  if (message.revision !== revision + 1) return readAnew();
  const delta = await reckonWorker().advance(message.changes);
  const view = get().view;
  set({ plan: applyChanges(plan, message.changes), revision: message.revision, view: merged(view, delta) });
  const { preview } = get();
  // A preview was worked out against the plan as it was: once more, or away with it when it does not fit any more.
  if (preview !== null) await showPreview(preview.title, preview.commands, preview.from);
}

/** Counts what was last asked for, so that an answer that comes late does not bring back what was left. */
let previewRequest = 0;

/** Works out a batch without applying it; the sheets then show it in place. Returns what is wrong with it, or null. */
export async function showPreview(
  title: string,
  commands: readonly Command[],
  from: Preview['from'] = 'fix',
): Promise<string | null> {
  const { plan, view } = get();
  if (plan === null || view === null) return null;
  previewRequest += 1;
  const request = previewRequest;
  const outcome = await reckonWorker().preview(commands);
  if (request !== previewRequest) return null;
  if (!outcome.ok) {
    set({ preview: null });
    const { field, reason, value } = outcome.problem;
    return `${field}: ${reason} ${value}`;
  }
  if (get().plan !== plan) return null;
  set({
    preview: {
      from,
      title,
      commands,
      // What a batch comes to is worked out by the worker; the page only takes over what changed.
      plan: applyChanges(plan, outcome.result.changes),
      view: merged(view, outcome.result.delta),
      result: outcome.result,
    },
  });
  return null;
}

export function endPreview(): void {
  previewRequest += 1;
  if (get().preview === null) return;
  set({ preview: null });
  void worker?.endPreview();
}

/** Sends a batch to the server and waits until the page shows it. Throws an ApiProblem when it was refused. */
export async function applyBatch(title: string, commands: readonly Command[]): Promise<void> {
  const { planId, revision } = get();
  if (planId === null) return;
  endPreview();
  const body = { author: thisAuthor(), baseRevision: revision, title: title.slice(0, 200), commands };
  await settle(await api.batch(planId, body));
}

export async function undoLast(): Promise<void> {
  const { planId } = get();
  if (planId !== null) await settle(await api.undo(planId, thisAuthor()));
}

export async function redoLast(): Promise<void> {
  const { planId } = get();
  if (planId !== null) await settle(await api.redo(planId, thisAuthor()));
}

const SETTLE_MS = 2000;

/** Waits for the change to come in by the event stream; where that is down, reads the plan anew. */
async function settle(answer: BatchAnswer): Promise<void> {
  const end = Date.now() + SETTLE_MS;
  while (get().revision < answer.revision && Date.now() < end) await new Promise((resolve) => setTimeout(resolve, 10));
  if (get().revision < answer.revision) await readAnew();
  set({ undo: answer.undo, redo: answer.redo });
}
