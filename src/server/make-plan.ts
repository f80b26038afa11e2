import { randomUUID } from 'node:crypto';
import { copyOfPlan } from '../core/edits/copy-plan';
import { planOfFile } from '../core/formats/plan-file';
import type { Plan } from '../core/plan/plan';
import { generatePlan } from '../demo/generate';
import { openBeside } from '../store/database';
import { PlanStore } from '../store/plan-store';

/** A plan that is made from little, and may be large. */
export type PlanToMake =
  | { readonly from: 'figures'; readonly devices: number; readonly seed: number }
  | { readonly from: 'plan'; readonly planId: string; readonly name: string };

/** Makes a plan and writes it into the database, with a connection of its own. Returns its id; null: there is no such plan to copy. */
export async function makePlan(make: PlanToMake, database: string): Promise<string | null> {
  if (make.from === 'figures') return keepPlan(planOfFile(generatePlan(make)), database);
  const { db, close } = openBeside(database);
  try {
    const loaded = await new PlanStore(db).loadInParts(make.planId);
    return loaded === null ? null : await keepPlan(copyOfPlan(loaded.plan, make.name), database);
  } finally {
    close();
  }
}

/** Writes a plan into the database, a part at a time. Returns its id. */
export async function keepPlan(plan: Plan, database: string): Promise<string> {
  const { db, close } = openBeside(database);
  try {
    const id = randomUUID();
    await new PlanStore(db).createInParts(id, plan, Date.now());
    return id;
  } finally {
    close();
  }
}
