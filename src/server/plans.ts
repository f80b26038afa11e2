import { randomUUID } from 'node:crypto';
import { parseCidr } from '../core/network/address';
import { PLAN_FILE_MAX_BYTES, planOfFile, type PlanFile } from '../core/formats/plan-file';
import { applyChanges, type RecordChange } from '../core/plan/changes';
import { emptyPlan, type Plan } from '../core/plan/plan';
import { PLAIN_SUBNET } from '../core/network/subnets-table';
import { skerryPoint } from '../demo/skerry-point';
import type { PlanSummary } from '../store/plan-store';
import { answerTo, openSession } from './edit';
import type { BatchAnswer } from './messages';
import { RequestProblem } from './problem';
import { keepPlanRequest, makePlanFor } from './requests/read-request';
import { notePutAway, sessionOf } from './sessions';
import { serverState } from './state';

export function listPlans(): PlanSummary[] {
  return serverState().store.list();
}

/** A new plan with one place and, where a CIDR was given, one subnet for leg A. */
export function newPlan(name: string, firstNetwork: string | undefined): PlanSummary {
  let plan = emptyPlan(name);
  const changes: RecordChange[] = [];
  if (firstNetwork !== undefined) {
    const block = parseCidr(firstNetwork);
    if (block === null || block.prefix > 30) {
      throw new RequestProblem(
        400,
        'invalid',
        `firstNetwork: ${firstNetwork} is not a network with room for devices.`,
        'firstNetwork',
      );
    }
    const subnet = { id: 'leg-a', name: 'Leg A', cidr: firstNetwork, vlan: null, role: 'A' as const, ...PLAIN_SUBNET };
    changes.push({ table: 'subnets', before: null, after: subnet });
  }
  plan = applyChanges(plan, changes);
  return store(plan);
}

function store(plan: Plan): PlanSummary {
  const id = randomUUID();
  serverState().store.create(id, plan, Date.now());
  return existing(id);
}

function existing(id: string): PlanSummary {
  const found = serverState().store.find(id);
  if (found === null) throw new RequestProblem(404, 'no-plan', 'There is no such plan.', 'planId');
  return found;
}

/** A copy under a new name. It remembers what was sent; which plan runs a device does not change by it. */
export async function copyPlan(request: Request, planId: string, name: string): Promise<PlanSummary> {
  const id = await makePlanFor(
    request,
    { from: 'plan', planId: existing(planId).id, name },
    serverState().databaseFile,
  );
  if (id === null) {
    throw new RequestProblem(409, 'conflict', 'The plan was changed while it was copied. Copy it again.', 'planId');
  }
  return existing(id);
}

/** Puts a plan away. Nothing is deleted: `restorePlan` brings it back as it was. */
export function removePlan(id: string): PlanSummary {
  serverState().store.setRemoved(existing(id).id, Date.now());
  notePutAway(id, true);
  serverState().sending.timed.endAll(id);
  serverState().runs.readAgain();
  return existing(id);
}

export function restorePlan(id: string): PlanSummary {
  serverState().store.setRemoved(existing(id).id, null);
  notePutAway(id, false);
  serverState().runs.readAgain();
  sessionOf(id)?.fieldChanged();
  return existing(id);
}

/** As a browser gets it. */
export interface PlanAnswer extends BatchAnswer {
  readonly id: string;
  readonly file: PlanFile;
  readonly hasField: boolean;
}

/** A plan as the JSON of a `PlanAnswer`, in parts: its file, which is most of it, is made once for everyone who opens it. */
export async function readPlan(id: string, authorId: string): Promise<readonly Uint8Array[]> {
  const session = openSession(id);
  const rest = JSON.stringify({ id, hasField: serverState().follower !== null, ...answerTo(session, authorId) });
  return [Buffer.from(`${rest.slice(0, -1)},"file":`), ...(await session.fileParts()), Buffer.from('}')];
}

/** The whole plan as the text of a file, in parts, and what the file may be called. */
export async function savedPlanFile(id: string): Promise<{ name: string; parts: readonly Uint8Array[] }> {
  const session = openSession(existing(id).id);
  const { name } = session.plan.settings;
  return { name, parts: await session.fileParts() };
}

/** A plan of its own from the plan file in a request. */
export async function openPlanFile(request: Request): Promise<PlanSummary> {
  return existing(
    await keepPlanRequest(request, PLAN_FILE_MAX_BYTES, serverState().databaseFile, (plan) => store(plan).id),
  );
}

export async function generatedPlan(request: Request, devices: number, seed: number): Promise<PlanSummary> {
  return existing(
    (await makePlanFor(request, { from: 'figures', devices, seed }, serverState().databaseFile)) as string,
  );
}

/** The demo plan, made once: asked for again, it is the one that is there. */
export function demoPlan(): { plan: PlanSummary; isNew: boolean } {
  const file = skerryPoint();
  const known = listPlans().find((p) => p.name === file.settings.name && p.removedAt === null);
  return known ? { plan: known, isNew: false } : { plan: store(planOfFile(file)), isNew: true };
}
