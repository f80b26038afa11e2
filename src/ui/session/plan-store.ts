import type { Remote } from 'comlink';
import { create, createStore, useStore } from 'zustand';
import type { Command } from '@/core/plan/commands';
import type { UndoAnswer } from '@/server/messages';
import type { ReckonWorker } from '@/workers/reckon-desk';
import { renameAuthor } from './author';
import { OpenPlan, UNREAD, type PlanState, type Preview } from './open-plan';

export type { FieldView } from './field-view';
export { NO_FIELD } from './field-view';
export type { Clash, Preview } from './open-plan';
export type { View } from './view';

/** The plan that the page shows: stages and panels ask for it here. */

const useFront = create<{ readonly open: OpenPlan | null }>(() => ({ open: null }));
const nothingOpen = createStore<PlanState>(() => UNREAD);

const front = (): OpenPlan | null => useFront.getState().open;

/** What is known of the plan in front. */
export function usePlan<T>(select: (state: PlanState) => T): T {
  const open = useFront((s) => s.open);
  return useStore(open?.store ?? nothingOpen, select);
}

/** As usePlan, at once and once. */
export function planNow(): PlanState {
  return (front()?.store ?? nothingOpen).getState();
}

let ahead: OpenPlan | null = null;

/** Begins to read a plan before there is anything to show it in: plan and worker are fetched while the page is put together. */
export function openAhead(planId: string): void {
  ahead = new OpenPlan(planId);
}

/** Opens a plan and brings it to the front. Returns what closes it again. */
export function openPlan(planId: string): () => void {
  const open = ahead?.planId === planId ? ahead : new OpenPlan(planId);
  if (ahead !== null && ahead !== open) ahead.close();
  ahead = null;
  useFront.setState({ open });
  return () => {
    open.close();
    if (front() === open) useFront.setState({ open: null });
  };
}

export function reckonWorker(): Remote<ReckonWorker> {
  const open = front();
  if (open === null) throw new Error('no plan is open');
  return open.worker;
}

/** Goes by another name from now on, here and for everyone who looks at the plan. */
export function goBy(name: string): void {
  renameAuthor(name);
  front()?.listen();
}

/** Works out a batch without applying it; the sheets then show it in place. Returns what is wrong with it, or null. */
export async function showPreview(
  title: string,
  commands: readonly Command[],
  from: Preview['from'] = 'fix',
  note: string | null = null,
): Promise<string | null> {
  return (await front()?.showPreview(title, commands, from, note)) ?? null;
}

export function endPreview(): void {
  front()?.endPreview();
}

/** Sends a batch to the server and waits until the page shows it. Throws an ApiProblem when it was refused. */
export async function applyBatch(
  title: string,
  commands: readonly Command[],
  options: { readonly replacing?: boolean } = {},
): Promise<void> {
  await front()?.apply(title, commands, options);
}

export async function undoLast(): Promise<UndoAnswer | null> {
  return (await front()?.undo()) ?? null;
}

export async function redoLast(): Promise<UndoAnswer | null> {
  return (await front()?.redo()) ?? null;
}

export async function takeStepBack(entryId: number, records: readonly string[] | null): Promise<UndoAnswer | null> {
  return (await front()?.takeStepBack(entryId, records)) ?? null;
}
