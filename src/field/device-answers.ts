import { DeviceRest, isSilence } from './device-rest';
import type { DeviceFailure } from './http-json';
import { steadyNow } from './steady-clock';

/**
 * How each IS-04 device answers: when it last did, whether it is left in peace, and whether it is still known what it does. Silence is
 * no sign that a device goes on: once its last answer is too old, what it does is not known.
 */
export class DeviceAnswers {
  /** When it last answered a request, in ms since 1970. */
  readonly answeredAt = new Map<string, number>();
  /** Devices that have not reported for too long to say what they do. */
  readonly notKnown = new Set<string>();
  private readonly rest = new DeviceRest();
  /** Devices whose last request had no answer. */
  private readonly unanswered = new Set<string>();

  constructor(
    private readonly notKnownAfterMs: () => number,
    private readonly onChange: (deviceId: string) => void,
  ) {}

  /** Takes in how a request ended; null: it was answered. */
  note(deviceId: string, failure: DeviceFailure | null, now = steadyNow()): void {
    this.rest.note(deviceId, failure, now);
    if (failure !== null && isSilence(failure)) {
      this.unanswered.add(deviceId);
      this.noteNotKnown(deviceId, now);
      return;
    }
    this.answeredAt.set(deviceId, now);
    this.unanswered.delete(deviceId);
    if (this.notKnown.delete(deviceId)) this.onChange(deviceId);
  }

  /** To be asked again and again: time alone makes what a silent device does unknown. */
  noteTime(now: number): void {
    for (const deviceId of this.unanswered) this.noteNotKnown(deviceId, now);
  }

  /** Devices whose last request had no answer. */
  silent(): readonly string[] {
    return [...this.unanswered];
  }

  /** Until when a device is left in peace, in ms since 1970; null: it may be asked. */
  restsUntil(deviceId: string, now = steadyNow()): number | null {
    return this.rest.until(deviceId, now);
  }

  /** Whether its last request had no answer: one more at a time is enough to find out. */
  isDoubtful(deviceId: string): boolean {
    return this.rest.isDoubtful(deviceId);
  }

  wake(deviceId: string): void {
    this.rest.wake(deviceId);
  }

  wakeAll(): void {
    this.rest.wakeAll();
  }

  forget(deviceId: string): void {
    this.answeredAt.delete(deviceId);
    this.notKnown.delete(deviceId);
    this.unanswered.delete(deviceId);
    this.rest.wake(deviceId);
  }

  private noteNotKnown(deviceId: string, now: number): void {
    const since = this.answeredAt.get(deviceId);
    if (since !== undefined && now - since < this.notKnownAfterMs()) return;
    if (this.notKnown.has(deviceId)) return;
    this.notKnown.add(deviceId);
    this.onChange(deviceId);
  }
}
