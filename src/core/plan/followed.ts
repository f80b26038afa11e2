import { hasStreams } from '../models/unknown-figures';
import { modelOf, type Plan, type PlanOf } from './plan';
import { onceFor } from './once-for';

/** Whether a real device of this kind would be heard of in the field: it has streams, or it is a clock. */
export function isFollowed(plan: PlanOf<'models' | 'devices'>, deviceId: string): boolean {
  const model = modelOf(plan, deviceId);
  return model !== undefined && (hasStreams(model) || model.kind === 'clock');
}

const devicesIn = onceFor((sentStreams: Plan['sentStreams']): ReadonlySet<string> => {
  const ids = new Set<string>();
  for (const [senderId, own] of sentStreams) {
    ids.add(senderId);
    for (const { receivers } of own.values()) for (const { deviceId } of receivers) ids.add(deviceId);
  }
  return ids;
});

/** Devices that were sent a stream of the plan, to transmit or to receive it: those that should be there. */
export const sentDevices = ({ sentStreams }: PlanOf<'sentStreams'>): ReadonlySet<string> => devicesIn(sentStreams);
