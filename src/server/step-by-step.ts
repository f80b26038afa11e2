import { setTimeout as rest } from 'node:timers/promises';
import type { InSteps } from '../core/plan/in-steps';

/** So long is worked at a time, where the steps are not longer. */
const WORK_MS = 25;
/** So long others come first then: an answer takes several turns of the event loop. After a long step more of them have gathered. */
const REST_MS = 4;
const REST_SHARE = 0.3;

/** Does work that takes long step by step, with whatever others ask answered in between. */
export async function stepByStep<Made>(steps: InSteps<Made>): Promise<Made> {
  let begunAt = performance.now();
  for (;;) {
    const { done, value } = steps.next();
    if (done === true) return value;
    const workedMs = performance.now() - begunAt;
    if (workedMs < WORK_MS) continue;
    await rest(Math.max(REST_MS, workedMs * REST_SHARE));
    begunAt = performance.now();
  }
}
