import { frameOf, type PlanSession } from './plan-session';
import { steadyNow } from '../field/steady-clock';
import type { Author } from './messages';

/** So often the server says to a browser that it is there: one that receives nothing for longer knows that it is not. */
const ALIVE_EVERY_MS = 15_000;
/**
 * So much may wait for a browser that does not read. Beyond that its stream is ended: when it reads again it connects again, and is told
 * everything again.
 */
const WAITING_MAX_BYTES = 32 * 1024 * 1024;

/** What happens to a plan, as server-sent events for one browser, until it goes away or `signal` says so. */
export function watchPlan(
  session: PlanSession,
  author: Author,
  signal: AbortSignal,
  waitingMaxBytes = WAITING_MAX_BYTES,
): ReadableStream<Uint8Array> {
  let stop = () => {};
  return new ReadableStream<Uint8Array>(
    {
      start(controller) {
        const end = () => {
          stop();
          try {
            controller.close();
          } catch {
            // the browser went away
          }
        };
        const write = (octets: Uint8Array) => {
          if ((controller.desiredSize ?? 0) <= 0) return end();
          try {
            controller.enqueue(octets);
          } catch {
            stop(); // the browser went away
          }
        };
        const leave = session.listen({ author, send: (frame) => write(frame.octets), end });
        const alive = setInterval(() => write(frameOf('alive', { now: steadyNow() }).octets), ALIVE_EVERY_MS);
        stop = () => {
          clearInterval(alive);
          leave();
        };
        if (signal.aborted) stop();
        signal.addEventListener('abort', () => stop());
      },
      cancel: () => stop(),
    },
    { highWaterMark: waitingMaxBytes, size: (octets) => octets.byteLength },
  );
}
