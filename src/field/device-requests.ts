import type { DeviceAnswers } from './device-answers';
import { failureOf, type DeviceFailure } from './http-json';
import { steadyNow } from './steady-clock';

/** Requests at once to one device, so that a slow one neither drowns nor holds up the others. */
const REQUESTS_PER_DEVICE = 4;
/** Requests at once to all devices together, so that reading hundreds of them leaves room for everything else. */
const REQUESTS_IN_ALL = 16;
/** Of these so many to devices whose last request had no answer: they must not hold up the others. */
const REQUESTS_TO_DOUBTFUL = 6;
const AGAIN_AFTER_FAILURE_MS = 3000;

interface Line {
  /** By what is asked: who asks the same twice is answered once. */
  readonly waiting: Map<string, () => Promise<void>>;
  readonly running: Set<string>;
}

interface DeviceRequestsOptions {
  readonly answers: DeviceAnswers;
  /** Whether anything is asked yet. */
  readonly mayAsk: () => boolean;
  /** A request has ended, well or not. */
  readonly ended: (deviceId: string) => void;
  /** A device that failed is due to be asked for everything again. */
  readonly again: (deviceId: string) => void;
}

/**
 * One line of requests for each device, with limits for each and for all together. A device that rests is asked when it has rested;
 * one that failed, whatever it said, again after a while.
 */
export class DeviceRequests {
  /** By device: why the last request failed. */
  readonly failures = new Map<string, DeviceFailure>();
  private readonly lines = new Map<string, Line>();
  private readonly retries = new Map<string, NodeJS.Timeout>();
  private running = 0;
  private runningToDoubtful = 0;

  constructor(private readonly options: DeviceRequestsOptions) {}

  stop(): void {
    for (const timer of this.retries.values()) clearTimeout(timer);
    this.retries.clear();
  }

  /**
   * Puts a request at the end of a device's line, in place of one for the same that waits. While one for the same runs it goes on waiting: two
   * at once could end in the other order, and what was asked first would be taken for what is so now.
   */
  queue(deviceId: string, what: string, request: () => Promise<void>): void {
    let line = this.lines.get(deviceId);
    if (line === undefined) this.lines.set(deviceId, (line = { waiting: new Map(), running: new Set() }));
    line.waiting.set(what, request);
    this.next(deviceId);
  }

  /** Something that kept all of them waiting is over. */
  nextOfAll(): void {
    for (const deviceId of [...this.lines.keys()]) {
      if (this.running >= REQUESTS_IN_ALL) return;
      this.next(deviceId);
    }
  }

  private mayRun(deviceId: string, line: Line): boolean {
    if (!this.options.mayAsk() || this.running >= REQUESTS_IN_ALL) return false;
    if (!this.options.answers.isDoubtful(deviceId)) return line.running.size < REQUESTS_PER_DEVICE;
    return line.running.size === 0 && this.runningToDoubtful < REQUESTS_TO_DOUBTFUL;
  }

  private next(deviceId: string): void {
    const line = this.lines.get(deviceId);
    if (line === undefined) return;
    if (line.waiting.size > 0 && this.options.answers.restsUntil(deviceId) !== null) return this.retryLater(deviceId);
    for (const [what, request] of line.waiting) {
      if (!this.mayRun(deviceId, line)) return;
      if (line.running.has(what)) continue;
      line.waiting.delete(what);
      void this.run(deviceId, line, what, request);
    }
  }

  private async run(deviceId: string, line: Line, what: string, request: () => Promise<void>): Promise<void> {
    const { answers, ended } = this.options;
    const doubtful = answers.isDoubtful(deviceId) ? 1 : 0;
    line.running.add(what);
    this.running += 1;
    this.runningToDoubtful += doubtful;
    try {
      await request();
      this.failures.delete(deviceId);
      answers.note(deviceId, null);
    } catch (error) {
      const failure = failureOf(error);
      this.failures.set(deviceId, failure);
      answers.note(deviceId, failure);
      this.retryLater(deviceId);
    }
    line.running.delete(what);
    this.running -= 1;
    this.runningToDoubtful -= doubtful;
    ended(deviceId);
    if (line.running.size === 0 && line.waiting.size === 0) this.lines.delete(deviceId);
    this.nextOfAll();
  }

  private retryLater(deviceId: string): void {
    if (this.retries.has(deviceId)) return;
    const restMs = (this.options.answers.restsUntil(deviceId) ?? 0) - steadyNow();
    const timer = setTimeout(
      () => {
        this.retries.delete(deviceId);
        this.options.again(deviceId);
      },
      Math.max(AGAIN_AFTER_FAILURE_MS, restMs),
    );
    timer.unref();
    this.retries.set(deviceId, timer);
  }
}
