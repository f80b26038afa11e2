import { planAddressesIn } from '../field/binding';
import { openSession } from './edit';
import { RequestProblem } from './problem';
import { serverState } from './state';

/** Everything the registry tells now, as lists of IS-04 resources by kind, with addresses as the plan would write them. */
export async function savedResources(planId: string): Promise<string> {
  openSession(planId);
  const { follower, translation } = serverState();
  if (follower === null) throw new RequestProblem(409, 'no-field', 'No registry is set and no node added.');
  let resources: object;
  try {
    resources = await follower.resources();
  } catch {
    throw new RequestProblem(502, 'no-registry', 'The registry does not answer.');
  }
  return `${planAddressesIn(JSON.stringify(resources, null, 1), translation)}\n`;
}
