import { PLAN_FILE_SCHEMA } from '../../core/formats/read-plan-file';
import { applyBatch, openSession, redo, undo } from '../edit';
import { watchPlan } from '../event-stream';
import { savedResources } from '../field-file';
import { history, historyEntry, takeStepBack } from '../history';
import { inPieces } from '../in-pieces';
import { planOverview } from '../overview';
import {
  copyPlan,
  demoPlan,
  generatedPlan,
  listPlans,
  newPlan,
  openPlanFile,
  readPlan,
  removePlan,
  restorePlan,
  savedPlanFile,
  type PlanAnswer,
} from '../plans';
import { stepByStep } from '../step-by-step';
import { ofPlan, request, type Asked, type ResponseOf } from './declared';
import { entryIdOf } from './entry-id';
import { inFile, schemaFile } from './files';
import {
  BatchRequest,
  GeneratePlanRequest,
  HistoryRequest,
  NewPlanRequest,
  PlanNameRequest,
  ReadPlanRequest,
  TakeBackRequest,
  UndoRequest,
  WatchRequest,
} from './requests';

const EVENTS = {
  'content-type': 'text/event-stream',
  'cache-control': 'no-store, no-transform',
  'x-accel-buffering': 'no',
};

/** Plans as a whole: making, opening, copying, putting away, watching, editing them, and what was done to them. */
export const PLAN_REQUESTS = {
  ...request('GET /api/plans', { answer: () => ({ plans: listPlans() }) }),
  ...request('POST /api/plans', {
    body: NewPlanRequest,
    answer: ({ body: { name, firstNetwork } }) => newPlan(name, firstNetwork),
  }),
  /** A plan file becomes a plan of its own; it is read as it comes. */
  ...request('POST /api/plans/file', { answer: ({ request: asked }: Asked<string, undefined>) => openPlanFile(asked) }),
  ...request('GET /api/plans/schema', { answer: () => schemaFile(PLAN_FILE_SCHEMA) }),
  ...request('POST /api/plans/demo', { answer: () => demoPlan() }),
  ...request('POST /api/plans/generate', {
    body: GeneratePlanRequest,
    answer: ({ request: asked, body: { devices, seed } }) => generatedPlan(asked, devices, seed),
  }),
  ...ofPlan('GET /api/plans/:planId', {
    query: ReadPlanRequest,
    answer: async ({ planId, query: { author = '' } }): Promise<ResponseOf<PlanAnswer>> =>
      new Response(inPieces(await readPlan(planId, author)), { headers: { 'content-type': 'application/json' } }),
  }),
  ...ofPlan('DELETE /api/plans/:planId', { answer: ({ planId }) => removePlan(planId) }),
  ...request('POST /api/plans/:planId/restore', { answer: ({ planId }) => restorePlan(planId) }),
  ...request('POST /api/plans/:planId/copy', {
    body: PlanNameRequest,
    answer: ({ request: asked, planId, body: { name } }) => copyPlan(asked, planId, name),
  }),
  ...request('GET /api/plans/:planId/overview', { answer: ({ planId }) => planOverview(planId) }),
  /** The whole plan as one file, to be saved. */
  ...ofPlan('GET /api/plans/:planId/file', {
    answer: async ({ planId }) => {
      const { name, parts } = await savedPlanFile(planId);
      return inFile(`${name}.plan.json`, inPieces(parts));
    },
  }),
  /** What the registry tells now, as a file of NMOS resources. */
  ...ofPlan('GET /api/plans/:planId/nmos', {
    answer: async ({ planId }) => inFile('nmos-resources.json', await savedResources(planId)),
  }),
  /** Server-sent events: every change of the plan and of the field, and who else is here. */
  ...ofPlan('GET /api/plans/:planId/events', {
    query: WatchRequest,
    answer: ({ request: { signal }, planId, query: { author, name } }) =>
      new Response(watchPlan(openSession(planId), { id: author, name }, signal), { headers: EVENTS }),
  }),
  /** What a GET would answer, without a browser that is watching. */
  ...ofPlan('HEAD /api/plans/:planId/events', {
    answer: ({ planId }) => {
      openSession(planId);
      return new Response(null, { headers: EVENTS });
    },
  }),
  ...ofPlan('POST /api/plans/:planId/batch', {
    body: BatchRequest,
    answer: ({ planId, body: { author, baseRevision, title, commands } }) =>
      stepByStep(applyBatch(planId, { author: { ...author }, baseRevision, title, commands })),
  }),
  ...ofPlan('POST /api/plans/:planId/undo', {
    body: UndoRequest,
    answer: ({ planId, body: { author } }) => stepByStep(undo(planId, { ...author })),
  }),
  ...ofPlan('POST /api/plans/:planId/redo', {
    body: UndoRequest,
    answer: ({ planId, body: { author } }) => stepByStep(redo(planId, { ...author })),
  }),
  ...ofPlan('GET /api/plans/:planId/history', {
    query: HistoryRequest,
    answer: ({ planId, query }) => history(planId, { ...query }),
  }),
  ...ofPlan('GET /api/plans/:planId/history/:entryId', {
    answer: ({ planId, entryId }) => historyEntry(planId, entryIdOf(entryId)),
  }),
  ...ofPlan('POST /api/plans/:planId/history/:entryId/take-back', {
    body: TakeBackRequest,
    answer: ({ planId, entryId, body: { author, records = null } }) =>
      stepByStep(takeStepBack(planId, entryIdOf(entryId), { ...author }, records)),
  }),
};
