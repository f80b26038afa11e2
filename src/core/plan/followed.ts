import { hasStreams } from '../models/unknown-figures';
import { modelOf, type Plan, type PlanOf } from './plan';

/** Whether a real device of this kind would be heard of in the field: it has streams, or it is a clock. */
export function isFollowed(plan: PlanOf<'models' | 'devices'>, deviceId: string): boolean {
  const model = modelOf(plan, deviceId);
  return model !== undefined && (hasStreams(model) || model.kind === 'clock');
}

const sentBySent = new WeakMap<Plan['sentStreams'], ReadonlySet<string>>();

/** Devices that were sent a stream of the plan, to transmit or to receive it: those that should be there. */
export function sentDevices({ sentStreams }: PlanOf<'sentStreams'>): ReadonlySet<string> {
  let found = sentBySent.get(sentStreams);
  if (found === undefined) {
    const ids = new Set<string>();
    for (const [senderId, own] of sentStreams) {
      ids.add(senderId);
      for (const { receivers } of own.values()) for (const { deviceId } of receivers) ids.add(deviceId);
    }
    sentBySent.set(sentStreams, (found = ids));
  }
  return found;
}
