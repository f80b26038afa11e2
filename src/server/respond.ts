import { logger } from './logger';
import { RequestProblem } from './problem';

/** Runs a use case and turns its result or problem into a response. Nobody outside sees a stack. */
export async function respond(run: () => unknown): Promise<Response> {
  try {
    const value = await run();
    return value instanceof Response ? value : Response.json(value ?? {});
  } catch (error) {
    if (error instanceof RequestProblem) {
      const { status, code, message, field, details } = error;
      return Response.json({ error: { code, message, field, details } }, { status });
    }
    logger.error({ err: error }, 'request failed');
    const message = 'Something went wrong on the server. Nothing was changed.';
    return Response.json({ error: { code: 'internal', message, field: null } }, { status: 500 });
  }
}
