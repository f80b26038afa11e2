/** What went wrong with a request, in words for the person who made it. Never carries a stack or a path of ours. */
export class RequestProblem extends Error {
  constructor(
    readonly status: 400 | 403 | 404 | 409 | 413 | 415 | 502,
    readonly code: string,
    message: string,
    /** Which part of the request, e.g. `commands[0].subscriptions[3].receiverChannel`. */
    readonly field: string | null = null,
    readonly details: unknown = undefined,
  ) {
    super(message);
  }
}
