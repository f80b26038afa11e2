import type { Reckoning } from '../core/reckon/reckoning';

/** What questions to the worker are answered from. Before a plan is loaded both are the reckoning of an empty one. */
export interface Desk {
  /** Of the plan as it is shown: with the preview, if there is one. */
  readonly shown: () => Reckoning;
  /** Of the plan as it is. */
  readonly current: () => Reckoning;
}
