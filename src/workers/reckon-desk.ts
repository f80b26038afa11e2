import type { PlanFile } from '../core/formats/plan-file';
import { planOfFile } from '../core/formats/plan-file';
import { applyChanges, type RecordChange } from '../core/plan/changes';
import { applyCommands } from '../core/plan/apply-commands';
import type { Command } from '../core/plan/commands';
import type { CommandProblem } from '../core/plan/draft';
import { emptyPlan, type Plan } from '../core/plan/plan';
import { reckon } from '../core/reckon/reckon';
import type { Lane } from '../core/reckon/lane';
import type { Reckoning } from '../core/reckon/reckoning';
import { interruptedLanes, interruptionsOf, type Interruption } from '../core/reckon/interrupts';
import { overlapOf } from '../core/reckon/overlap';
import { clockQuestions } from './clock-questions';
import { clockViewOf } from './clock-view';
import type { Desk } from './desk';
import { findingQuestions } from './finding-questions';
import { laneQuestions } from './lane-questions';
import { networkQuestions } from './network-questions';
import { networkView } from './network-view';
import { otherPlanQuestions } from './other-plan-questions';
import { patchQuestions } from './patch-questions';
import type { LaneView, PreviewResult, ReckoningDelta } from './reckon-view';

/** What stages and dialogs ask, each in a file of its own. */
const questionsTo = (desk: Desk) => ({
  ...laneQuestions(desk),
  ...networkQuestions(desk),
  ...clockQuestions(desk),
  ...patchQuestions(desk),
  ...findingQuestions(desk),
  ...otherPlanQuestions(desk),
});

const NOTHING = reckon(emptyPlan(''));

type Previewed =
  | { readonly ok: true; readonly result: PreviewResult }
  | { readonly ok: false; readonly problem: CommandProblem };

function laneView(lane: Lane, isMoved: boolean): LaneView {
  const { senderDeviceId, senderChannel } = lane.subscription;
  const isRefused = lane.verdict === 'refused';
  return {
    verdict: lane.verdict,
    senderDeviceId,
    senderChannel,
    streamId: lane.reception?.stream.id ?? null,
    position: isRefused ? null : lane.position,
    width: lane.reception?.stream.width ?? null,
    offsetNs: lane.reception?.offset.offsetNs ?? null,
    reason: isRefused ? lane.reason : null,
    caution: isRefused ? null : lane.reception.caution,
    isMoved,
  };
}

const NOTHING_MOVED: readonly Interruption[] = [];

/**
 * What differs between two reckonings, told by identity: what came out the same is the same object.
 * @param moved of a preview: lanes that would not go on as they are
 */
function deltaBetween(
  before: Reckoning | null,
  after: Reckoning,
  startedAt: number,
  moved: readonly Interruption[] = NOTHING_MOVED,
): ReckoningDelta {
  const movedOf = new Map<string, Set<number>>();
  for (const { deviceId, channels } of moved) {
    const known = movedOf.get(deviceId) ?? new Set();
    movedOf.set(deviceId, known);
    for (const channel of channels) known.add(channel);
  }
  const lanes = new Map<string, ReadonlyMap<number, LaneView> | null>();
  for (const [id, list] of after.lanesByReceiver) {
    const own = movedOf.get(id);
    if (before?.lanesByReceiver.get(id) === list && own === undefined) continue;
    lanes.set(id, new Map([...list].map(([channel, lane]) => [channel, laneView(lane, own?.has(channel) === true)])));
  }
  for (const id of before?.lanesByReceiver.keys() ?? []) if (!after.lanesByReceiver.has(id)) lanes.set(id, null);
  const budgets = new Map<string, ReturnType<typeof after.budgetByDevice.get> | null>();
  for (const [id, budget] of after.budgetByDevice)
    if (before?.budgetByDevice.get(id) !== budget) budgets.set(id, budget);
  for (const id of before?.budgetByDevice.keys() ?? []) if (!after.budgetByDevice.has(id)) budgets.set(id, null);
  return {
    network: before?.loads === after.loads && before.loadFrame === after.loadFrame ? null : networkView(after),
    clocks: before?.clocks === after.clocks ? null : clockViewOf(after),
    lanes,
    budgets: budgets as ReckoningDelta['budgets'],
    findings: after.findings,
    totals: after.totals,
    workedOutInMs: performance.now() - startedAt,
  };
}

/** A thin shell around the core: holds a plan and its reckoning, and tells the page what changed. */
export function reckonDesk() {
  let current: Reckoning | null = null;
  let previewed: Reckoning | null = null;

  function move(plan: Plan): ReckoningDelta {
    const startedAt = performance.now();
    const before = current;
    current = reckon(plan, before ?? undefined);
    previewed = null;
    return deltaBetween(before, current, startedAt);
  }

  const desk: Desk = { shown: () => previewed ?? desk.current(), current: () => current ?? NOTHING };
  return {
    ...questionsTo(desk),
    load(file: PlanFile) {
      current = null;
      return move(planOfFile(file));
    },
    advance(changes: readonly RecordChange[]) {
      if (current === null) throw new Error('no plan was loaded');
      return move(applyChanges(current.plan, changes));
    },
    /** What a batch would do. The plan stays as it is; questions are about the preview until `endPreview`. */
    preview(commands: readonly Command[]): Previewed {
      if (current === null) throw new Error('no plan was loaded');
      const startedAt = performance.now();
      const applied = applyCommands(current.plan, commands);
      if (!applied.ok) return { ok: false, problem: applied.problem };
      const before = current;
      previewed = reckon(applied.plan, before);
      const streams = (r: Reckoning) => new Map([...r.streamsBySender.values()].flat().map((s) => [s.id, s]));
      const was = streams(before);
      const is = streams(previewed);
      const interruptions = interruptionsOf(interruptedLanes(before, previewed));
      const newStreamIds = [...is.keys()].filter((id) => !was.has(id));
      const touched = applied.changes.flatMap((c) => (c.table === 'subscriptions' && c.after ? [c.after] : []));
      const refusedChannels = touched.filter(
        (s) => previewed?.lanesByReceiver.get(s.receiverDeviceId)?.get(s.receiverChannel)?.verdict === 'refused',
      ).length;
      const delta = deltaBetween(before, previewed, startedAt, interruptions);
      const overlap = overlapOf(before, previewed);
      return {
        ok: true,
        result: {
          changes: applied.changes,
          delta,
          interruptions,
          newStreamIds,
          refusedChannels,
          overlap,
        },
      };
    },
    endPreview() {
      previewed = null;
    },
  };
}

/** What pages ask of the worker that reckons. */
export type ReckonWorker = ReturnType<typeof reckonDesk>;
