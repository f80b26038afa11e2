import type { Interruption } from '@/core/reckon/interrupts';
import type { LaneState } from '@/field/lane-state';
import type { FieldView } from './field-view';
import { evidenceOf } from './shown';
import type { View } from './view';

/** What a change would make better and worse, counted in lanes and findings. */
export interface Effects {
  /** Lanes that are refused now and would fit. */
  readonly mendedLanes: number;
  /** Findings of any weight but notes that would be gone. */
  readonly mendedFindings: number;
  /** Lanes that fit now and would be refused. */
  readonly refusedLanes: number;
  /** Lanes that fit and would be gone or receive something else. */
  readonly changedLanes: number;
  readonly newRefusals: number;
  readonly newCautions: number;
}

/** Compares the reckoning as it is with that of a preview. Devices of which nothing changes are the same objects in both. */
export function effectsOf(before: View, after: View): Effects {
  let [mendedLanes, refusedLanes, changedLanes] = [0, 0, 0];
  for (const [receiverId, lanes] of before.lanes) {
    const next = after.lanes.get(receiverId);
    if (next === lanes) continue;
    for (const [channel, lane] of lanes) {
      const then = next?.get(channel);
      const hearsSame = then?.senderDeviceId === lane.senderDeviceId && then.senderChannel === lane.senderChannel;
      // What was refused carried nothing that could end.
      if (!hearsSame) changedLanes += lane.verdict === 'refused' ? 0 : 1;
      else if (lane.verdict === 'refused' && then.verdict !== 'refused') mendedLanes += 1;
      else if (lane.verdict !== 'refused' && then.verdict === 'refused') refusedLanes += 1;
    }
  }
  const had = new Set(before.findings.map((f) => f.id));
  const has = new Set(after.findings.map((f) => f.id));
  const gone = before.findings.filter((f) => f.severity !== 'note' && !has.has(f.id));
  const added = after.findings.filter((f) => !had.has(f.id));
  return {
    ...{ mendedLanes, refusedLanes, changedLanes },
    mendedFindings: gone.length,
    newRefusals: added.filter((f) => f.severity === 'refusal').length,
    newCautions: added.filter((f) => f.severity === 'caution').length,
  };
}

/** It carries, or would again by itself as soon as the other end is back. */
const CARRIES: ReadonlySet<LaneState> = new Set(['carrying', 'one-legged', 'waiting', 'unknown']);

/** Of what a change interrupts, what carries now, as devices report it; where nothing is reported, as it was sent. */
export function carryingOf(interruptions: readonly Interruption[], field: FieldView): Interruption[] {
  return interruptions.flatMap((i) => {
    const carries = (channel: number) => {
      const evidence = evidenceOf(field, i.deviceId, channel);
      return evidence === null ? i.wasSent : CARRIES.has(evidence.state);
    };
    const channels = i.channels.filter(carries);
    return channels.length === 0 ? [] : [{ ...i, channels }];
  });
}

export const lanesIn = (interruptions: readonly Pick<Interruption, 'channels'>[]): number =>
  interruptions.reduce((sum, i) => sum + i.channels.length, 0);

/** Whether a change takes more than it gives: it must not look like a good idea. */
export function isForTheWorse(effects: Effects, interruptedLanes: number): boolean {
  const { mendedLanes, mendedFindings, refusedLanes, newRefusals } = effects;
  return interruptedLanes > 0 || refusedLanes + newRefusals > mendedLanes + mendedFindings;
}
