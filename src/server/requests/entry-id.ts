import { RequestProblem } from '../problem';

/** The id of a step as it stands in the address. */
export function entryIdOf(text: string): number {
  if (!/^[1-9]\d{0,14}$/.test(text)) {
    throw new RequestProblem(404, 'no-entry', 'There is no such step in the history of this plan.', 'entryId');
  }
  return Number(text);
}
