import { setImmediate as nextTurn } from 'node:timers/promises';
import type { InSteps } from '../core/plan/in-steps';

/** Does work that takes long step by step, with whatever others ask answered in between. */
export async function stepByStep<Made>(steps: InSteps<Made>): Promise<Made> {
  for (;;) {
    const { done, value } = steps.next();
    if (done === true) return value;
    await nextTurn();
  }
}
