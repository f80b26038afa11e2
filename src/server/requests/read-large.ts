import { readPlanFile } from '../../core/formats/read-plan-file';
import { keepPlan, makePlan, type PlanToMake } from '../make-plan';
import { RequestProblem, storageWords } from '../problem';
import { checked, objectIn, textOf } from '../validate';
import { planOfResult } from './plan-of-result';
import { LARGE_REQUESTS, type LargeRequestName } from './requests';

/** What is to be made of the octets of a large body. */
export type LargeJob =
  | { readonly kind: 'request'; readonly name: LargeRequestName }
  /** A plan file that becomes a plan in this database. */
  | { readonly kind: 'keep-plan-file'; readonly database: string }
  | { readonly kind: 'make-plan'; readonly make: PlanToMake; readonly database: string };

/** What came of a body, as it passes between threads. */
export type LargeAnswer =
  | { readonly ok: true; readonly value: unknown }
  | {
      readonly ok: false;
      readonly problem: Pick<RequestProblem, 'status' | 'code' | 'message' | 'field'> & { readonly details?: unknown };
    };

/** Reads and checks a body. Never rejects: what is wrong is part of the answer. */
export async function readLarge(job: LargeJob, octets: Uint8Array): Promise<LargeAnswer> {
  try {
    if (job.kind === 'make-plan') return { ok: true, value: await makePlan(job.make, job.database) };
    const text = textOf(octets);
    if (job.kind === 'keep-plan-file') {
      return { ok: true, value: await keepPlan(planOfResult(readPlanFile(text)), job.database) };
    }
    const { type, limits } = LARGE_REQUESTS[job.name];
    return { ok: true, value: { ...(await checked<object>(objectIn(text, limits), type)) } };
  } catch (error) {
    const storage = storageWords(error);
    if (storage !== null) {
      const message = `${storage}, then try again. Nothing was changed.`;
      return { ok: false, problem: { status: 507, code: 'storage', message, field: null } };
    }
    if (!(error instanceof RequestProblem)) {
      const message = 'The request could not be read.';
      return { ok: false, problem: { status: 400, code: 'invalid', message, field: null } };
    }
    const { status, code, message, field, details } = error;
    return { ok: false, problem: { status, code, message, field, ...(details === undefined ? {} : { details }) } };
  }
}
