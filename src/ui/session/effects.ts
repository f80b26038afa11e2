import type { FieldView } from './field-view';
import { evidenceOf, stateOf } from './shown';
import type { View } from './view';

/** What a change would make better and worse, counted in lanes and findings. */
export interface Effects {
  /** Lanes that are refused now and would fit. */
  readonly mendedLanes: number;
  /** Findings of any weight but notes that would be gone. */
  readonly mendedFindings: number;
  /** Lanes that fit now and would be refused, and how many of them carry at this moment. */
  readonly refusedLanes: number;
  readonly refusedCarrying: number;
  /** Lanes that fit and would be gone or hear something else, and how many of them carry at this moment. */
  readonly changedLanes: number;
  readonly changedCarrying: number;
  readonly newRefusals: number;
  readonly newCautions: number;
}

const CARRIES: ReadonlySet<string> = new Set(['carrying', 'one-legged']);

/** Compares the reckoning as it is with that of a preview. Devices of which nothing changes are the same objects in both. */
export function effectsOf(before: View, after: View, field: FieldView): Effects {
  let [mendedLanes, refusedLanes, refusedCarrying, changedLanes, changedCarrying] = [0, 0, 0, 0, 0];
  for (const [receiverId, lanes] of before.lanes) {
    const next = after.lanes.get(receiverId);
    if (next === lanes) continue;
    for (const [channel, lane] of lanes) {
      const then = next?.get(channel);
      const carries = () => CARRIES.has(stateOf(lane, evidenceOf(field, receiverId, channel)));
      const hearsSame = then?.senderDeviceId === lane.senderDeviceId && then.senderChannel === lane.senderChannel;
      if (!hearsSame) {
        // What was refused carried nothing that could end.
        if (lane.verdict === 'refused') continue;
        changedLanes += 1;
        if (carries()) changedCarrying += 1;
      } else if (lane.verdict === 'refused' && then.verdict !== 'refused') mendedLanes += 1;
      else if (lane.verdict !== 'refused' && then.verdict === 'refused') {
        refusedLanes += 1;
        if (carries()) refusedCarrying += 1;
      }
    }
  }
  const had = new Set(before.findings.map((f) => f.id));
  const has = new Set(after.findings.map((f) => f.id));
  const gone = before.findings.filter((f) => f.severity !== 'note' && !has.has(f.id));
  const added = after.findings.filter((f) => !had.has(f.id));
  return {
    ...{ mendedLanes, refusedLanes, refusedCarrying, changedLanes, changedCarrying },
    mendedFindings: gone.length,
    newRefusals: added.filter((f) => f.severity === 'refusal').length,
    newCautions: added.filter((f) => f.severity === 'caution').length,
  };
}

/** Whether a change takes more than it gives: it must not look like a good idea. */
export function isForTheWorse(effects: Effects, disturbedStreams: number): boolean {
  const { mendedLanes, mendedFindings, refusedLanes, refusedCarrying, newRefusals } = effects;
  return refusedCarrying > 0 || disturbedStreams > 0 || refusedLanes + newRefusals > mendedLanes + mendedFindings;
}
