import type { PlanOf } from '../plan/plan';
import { sameValue } from '../plan/same-value';
import { busState } from '../slots/slot-bus';

/** One slot that is received: the channel of the unit that listens, and that of the one unit that talks in it. */
export interface SlotEdge {
  readonly listener: { readonly deviceId: string; readonly channel: number };
  readonly talker: { readonly deviceId: string; readonly channel: number };
}

/** Every slot that a unit receives from one talker. The same list as before where nothing of it changed. */
export function slotEdgesOf(
  plan: PlanOf<'devices' | 'models' | 'slotBuses' | 'slotUnits'>,
  before: readonly SlotEdge[] | undefined,
): readonly SlotEdge[] {
  const edges = [...plan.slotBuses.values()].flatMap((bus) =>
    busState(plan, bus).listened.flatMap(({ deviceId, channel, why, talkers: [talker] }): SlotEdge[] =>
      why !== null || talker === undefined
        ? []
        : [{ listener: { deviceId, channel }, talker: { deviceId: talker.deviceId, channel: talker.channel } }],
    ),
  );
  return before !== undefined && sameValue(before, edges) ? before : edges;
}
