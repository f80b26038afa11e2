import type { DeviceFailure } from './http-json';

/**
 * Devices that do not answer are left in peace for a while, so that nobody waits for them again and again: after two requests in a row
 * without an answer for five seconds, then ten, and so on up to thirty. After that one request tries whether they are back.
 */
const FAILURES_BEFORE_REST = 2;
const FIRST_REST_MS = 5_000;
export const LONGEST_REST_MS = 30_000;

interface Line {
  failures: number;
  restMs: number;
  until: number;
}

/** Whether a failure means that there was no answer at all. */
export const isSilence = (failure: DeviceFailure): boolean =>
  failure.kind === 'timeout' || failure.kind === 'unreachable';

/** By device: how it answered of late. Times are given, so that it needs no clock. */
export class DeviceRest {
  private readonly lines = new Map<string, Line>();

  /** Takes in how a request to a device ended; null: it answered. */
  note(deviceId: string, failure: DeviceFailure | null, now: number): void {
    if (failure !== null && !isSilence(failure)) failure = null;
    if (failure === null) {
      this.lines.delete(deviceId);
      return;
    }
    const line = this.lines.get(deviceId) ?? { failures: 0, restMs: 0, until: 0 };
    this.lines.set(deviceId, line);
    // Requests that were under way when the rest began say nothing new.
    if (now < line.until) return;
    line.failures += 1;
    if (line.failures < FAILURES_BEFORE_REST) return;
    line.restMs = Math.min(LONGEST_REST_MS, line.restMs === 0 ? FIRST_REST_MS : line.restMs * 2);
    line.until = now + line.restMs;
  }

  /** Until when a device is left in peace; null: it may be asked. */
  until(deviceId: string, now: number): number | null {
    const until = this.lines.get(deviceId)?.until ?? 0;
    return until > now ? until : null;
  }

  /** Whether its last request had no answer: one more at a time is enough to find out. */
  isDoubtful(deviceId: string): boolean {
    return (this.lines.get(deviceId)?.failures ?? 0) > 0;
  }

  /** All may be asked at once: something that they share is back. */
  wakeAll(): void {
    this.lines.clear();
  }

  /** It may be asked at once: somebody wants to know, or something says that it is back. */
  wake(deviceId: string): void {
    this.lines.delete(deviceId);
  }
}
