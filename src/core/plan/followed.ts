import { modelOf, type PlanOf } from './plan';

/** Whether a real device of this kind would be heard of in the field: it has streams, or it is a clock. */
export function isFollowed(plan: PlanOf<'models' | 'devices'>, deviceId: string): boolean {
  const model = modelOf(plan, deviceId);
  return model !== undefined && (model.streamsReceive + model.streamsSend > 0 || model.kind === 'clock');
}
