import type { SentStreamKey } from '../core/plan/commands';
import type { Reckoning } from '../core/reckon/reckoning';
import type { SentStream } from '../core/streams/sent-streams-table';
import type { AnnouncedStreams } from './announcements';
import type { Bindings } from './binding';
import type { FieldFollower } from './follower';
import { failureOf, type DeviceFailure } from './http-json';
import type { SendPlan } from './send-plan';

export type SendStep =
  'sender-read' | 'sender-map' | 'sender' | 'sender-stop' | 'receiver' | 'receiver-map' | 'receiver-leave';

/** What was and what was not changed on one device. */
export interface DeviceReport {
  readonly deviceId: string;
  readonly done: readonly SendStep[];
  readonly failed: readonly {
    readonly step: SendStep;
    readonly streamId: string | null;
    readonly failure: DeviceFailure;
  }[];
}

export interface SendReport {
  readonly devices: readonly DeviceReport[];
  readonly left: SendPlan['left'];
  /** Records for the plan of what was told to the devices. */
  readonly put: readonly SentStream[];
  readonly drop: readonly SentStreamKey[];
}

/** What came of each step on each device. */
export class Report {
  private readonly byDevice = new Map<string, { done: SendStep[]; failed: DeviceReport['failed'][number][] }>();

  private of(deviceId: string) {
    let found = this.byDevice.get(deviceId);
    if (found === undefined) this.byDevice.set(deviceId, (found = { done: [], failed: [] }));
    return found;
  }

  /** Runs one step on one device; a failure is noted and does not stop the others. */
  async step(deviceId: string, step: SendStep, streamId: string | null, run: () => Promise<unknown>): Promise<boolean> {
    try {
      await run();
      const { done } = this.of(deviceId);
      if (!done.includes(step)) done.push(step);
      return true;
    } catch (error) {
      this.of(deviceId).failed.push({ step, streamId, failure: failureOf(error) });
      return false;
    }
  }

  devices(): DeviceReport[] {
    return [...this.byDevice].map(([deviceId, { done, failed }]) => ({ deviceId, done, failed }));
  }
}

/** What every step of one send needs. */
export interface SendContext {
  readonly reckoning: Reckoning;
  readonly follower: FieldFollower;
  readonly bindings: Bindings;
  readonly announced: AnnouncedStreams;
  readonly report: Report;
  /** False: only stage, so that starting is an act of its own. */
  readonly start: boolean;
}
