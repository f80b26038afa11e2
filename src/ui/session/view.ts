import type { Finding } from '@/core/findings/finding';
import type { DeviceBudget, Totals } from '@/core/reckon/reckoning';
import type { ClockView } from '@/workers/clock-view';
import type { LaneView, NetworkView, ReckoningDelta } from '@/workers/reckon-view';

/** The reckoning as the page holds it. */
export interface View {
  readonly lanes: ReadonlyMap<string, ReadonlyMap<number, LaneView>>;
  readonly budgets: ReadonlyMap<string, DeviceBudget>;
  readonly findings: readonly Finding[];
  readonly totals: Totals;
  readonly network: NetworkView;
  readonly clocks: ClockView;
  readonly workedOutInMs: number;
}

const NO_NETWORK: NetworkView = {
  linkIds: [],
  bitsPerSecond: new Float64Array(),
  streams: new Int32Array(),
  usableBitsPerSecond: [],
  idleLinkIds: new Set(),
  groupsAtSwitch: new Map(),
};

const NO_CLOCKS: ClockView = {
  time: { byDevice: new Map(), segments: new Map(), grandmasterIds: [] },
  media: new Map(),
};

/** The view after what the worker says has changed. */
export function merged(view: View | null, delta: ReckoningDelta): View {
  const lanes = new Map(view?.lanes);
  for (const [id, list] of delta.lanes) {
    if (list === null) lanes.delete(id);
    else lanes.set(id, list);
  }
  const budgets = new Map(view?.budgets);
  for (const [id, budget] of delta.budgets) {
    if (budget === null) budgets.delete(id);
    else budgets.set(id, budget);
  }
  const { findings, totals, workedOutInMs } = delta;
  const network = delta.network ?? view?.network ?? NO_NETWORK;
  const clocks = delta.clocks ?? view?.clocks ?? NO_CLOCKS;
  return { lanes, budgets, findings, totals, network, clocks, workedOutInMs };
}
