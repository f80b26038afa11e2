import { randomUUID } from 'node:crypto';
import { logger } from './logger';
import { RequestProblem, storageWords } from './problem';

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

/**
 * What is answered about a problem, with its status. What nobody foresaw is answered without its particulars: these are in the log, under the id that
 * the answer carries.
 */
export function problemAnswer(error: unknown) {
  const errorId = randomUUID();
  if (error instanceof RequestProblem) {
    const { status, code, message, field, details } = error;
    const line = { errorId, status, code, field, message };
    if (status >= 500) logger.warn(line, 'request could not be served');
    else logger.info(line, 'request refused');
    return { status, error: { code, message, field, details, errorId } };
  }
  const storage = storageWords(error);
  logger.error({ errorId, err: error }, 'request failed');
  if (storage !== null) {
    const message = `${storage}, then try again. Nothing was changed.`;
    return { status: 507, error: { code: 'storage', message, field: null, errorId } };
  }
  const message = `Something went wrong on the server. Its log has it as ${errorId}.`;
  return { status: 500, error: { code: 'internal', message, field: null, errorId } };
}
