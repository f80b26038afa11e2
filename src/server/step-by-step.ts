import { setTimeout as rest } from 'node:timers/promises';
import type { InSteps } from '../core/plan/in-steps';

/** So long is worked at a time, where the steps are not longer. */
const WORK_MS = 25;
/** So long others come first then: an answer takes several turns of the event loop. */
const REST_MS = 4;

/** Does work that takes long step by step, with whatever others ask answered in between. */
export async function stepByStep<Made>(steps: InSteps<Made>): Promise<Made> {
  let begunAt = performance.now();
  for (;;) {
    const { done, value } = steps.next();
    if (done === true) return value;
    if (performance.now() - begunAt < WORK_MS) continue;
    await rest(REST_MS);
    begunAt = performance.now();
  }
}
