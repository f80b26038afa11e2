import { RequestProblem } from './problem';

/** What a use case refuses with; one that does not refuse is an error. */
export function problemOf(run: () => unknown): RequestProblem {
  try {
    run();
  } catch (error) {
    if (error instanceof RequestProblem) return error;
    throw error;
  }
  throw new Error('was not refused');
}
