import { logger } from './logger';
import { RequestProblem } from './problem';

/** Runs a use case and turns its result or problem into a response. Nobody outside sees a stack. */
export async function respond(run: () => unknown): Promise<Response> {
  try {
    const value = await run();
    return value instanceof Response ? value : Response.json(value ?? {});
  } catch (error) {
    const { status, ...answer } = problemAnswer(error);
    return Response.json(answer, { status });
  }
}

/** What is told of a problem, with its status. What nobody foresaw is logged, and told without its particulars. */
export function problemAnswer(error: unknown) {
  if (error instanceof RequestProblem) {
    const { status, code, message, field, details } = error;
    return { status, error: { code, message, field, details } };
  }
  logger.error({ err: error }, 'request failed');
  const message = 'Something went wrong on the server. Nothing was changed.';
  return { status: 500, error: { code: 'internal', message, field: null } };
}
