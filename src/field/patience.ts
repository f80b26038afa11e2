/** A wait is counted in so many looks. */
const LOOKS = 8;

/**
 * Does something within a time that somebody else is given for it; what is not done by then is broken off by the signal, with a `TimeoutError`. The time
 * is counted in looks, of which a timer that comes late gives one: while this process is kept from looking, the answer may long be there, and whoever was
 * asked is not to blame.
 */
export async function withPatience<T>(timeoutMs: number, ask: (signal: AbortSignal) => Promise<T>): Promise<T> {
  const controller = new AbortController();
  let looks = 0;
  const looking = setInterval(() => {
    looks += 1;
    if (looks === LOOKS) controller.abort(new DOMException('no answer in time', 'TimeoutError'));
  }, timeoutMs / LOOKS).unref();
  try {
    return await ask(controller.signal);
  } finally {
    clearInterval(looking);
  }
}
