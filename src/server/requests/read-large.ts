import type { JsonLimits } from '../../core/formats/bounded-json';
import { fileOfPlan } from '../../core/formats/plan-file';
import { readPlanFile } from '../../core/formats/read-plan-file';
import { RequestProblem } from '../problem';
import { checked, objectIn, textOf } from '../validate';
import { planOfResult } from './plan-of-result';
import { LARGE_REQUESTS, type RequestName } from './requests';

/** What is to be made of the octets of a large body. */
export type LargeJob =
  | { readonly kind: 'request'; readonly name: RequestName; readonly limits: JsonLimits }
  | { readonly kind: 'plan-file' };

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
    const text = textOf(octets);
    if (job.kind === 'plan-file') return { ok: true, value: fileOfPlan(planOfResult(readPlanFile(text))) };
    const type: new () => object = LARGE_REQUESTS[job.name];
    return { ok: true, value: { ...(await checked(objectIn(text, job.limits), type)) } };
  } catch (error) {
    if (!(error instanceof RequestProblem)) {
      const message = 'The request could not be read.';
      return { ok: false, problem: { status: 400, code: 'invalid', message, field: null } };
    }
    const { status, code, message, field, details } = error;
    return { ok: false, problem: { status, code, message, field, ...(details === undefined ? {} : { details }) } };
  }
}
