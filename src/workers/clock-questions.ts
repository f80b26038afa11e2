import { proposeClocks } from '../core/clocks/propose';
import type { ClockLoss } from '../core/clocks/take-over';
import { lossView, whyView } from './clock-view';
import type { Desk } from './desk';

/** What the clocks ask. */
export const clockQuestions = ({ shown, current }: Desk) => ({
  /** What happens when these fail. The plan stays as it is. */
  clockLoss: (loss: ClockLoss) => lossView(shown(), loss),
  clockWhy: (deviceId: string) => whyView(shown(), deviceId),
  proposeClocks: () => proposeClocks(current().plan, current().topology),
});
