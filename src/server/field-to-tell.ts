import type { FieldSnapshot } from '../field/field-snapshot';
import type { FieldFollower } from '../field/follower';
import { openSession } from './edit';
import type { PlanSession } from './plan-session';
import { RequestProblem } from './problem';
import { serverState } from './state';

/**
 * The plan and the field that a send to devices starts from. Refused where there is no field, where its registry does not answer, and where the plan
 * has no such device.
 * @param placeOf the name of the field in the request that the nth device stands in
 */
export function fieldToTell(
  planId: string,
  deviceIds: readonly string[],
  placeOf: (n: number) => string,
): { readonly session: PlanSession; readonly follower: FieldFollower; readonly field: FieldSnapshot } {
  const session = openSession(planId);
  const { follower } = serverState();
  if (follower === null)
    throw new RequestProblem(
      409,
      'no-field',
      'No registry is set and no node added, so there are no devices to send to.',
    );
  const field = follower.snapshot();
  if (!field.isConnected) {
    throw new RequestProblem(
      502,
      'no-registry',
      `The registry does not answer: ${field.disconnectedBecause ?? 'unknown reason'}.`,
    );
  }
  for (const [n, deviceId] of deviceIds.entries()) {
    if (session.plan.devices.has(deviceId)) continue;
    throw new RequestProblem(404, 'unknown', `${placeOf(n)}: there is no ${deviceId}.`, placeOf(n));
  }
  return { session, follower, field };
}

/** Begins with no more devices. What has been taken off is brought to its end. Whether there is such a send. */
export function stopSending(id: string): boolean {
  const { stopped, timed } = serverState().sending;
  timed.end(id);
  if (!stopped.has(id)) return false;
  stopped.set(id, true);
  return true;
}
