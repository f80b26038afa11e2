import type { SentStreamKey } from '../core/plan/commands';
import type { SdpDifference } from '../core/formats/sdp-differences';
import type { Reckoning } from '../core/reckon/reckoning';
import type { SentStream } from '../core/streams/sent-streams-table';
import type { AnnouncedStreams } from './announcements';
import type { Bindings } from './binding';
import type { FieldFollower } from './follower';
import { isSilence } from './device-rest';
import { DeviceError, failureOf, type DeviceFailure } from './http-json';
import type { ChannelRef, SendPlan } from './send-plan';

export type SendStep =
  | 'sender-read'
  | 'sender-map'
  | 'sender'
  | 'sender-restore'
  | 'sender-stop'
  | 'receiver'
  | 'receiver-mute'
  | 'receiver-moment'
  | 'receiver-map'
  | 'receiver-restore'
  | 'receiver-leave'
  | 'patch-read'
  | 'patch-off'
  | 'patch'
  | 'patch-restore';

/** What was and what was not changed on one device. */
export interface DeviceReport {
  readonly deviceId: string;
  readonly done: readonly SendStep[];
  readonly failed: readonly {
    readonly step: SendStep;
    readonly streamId: string | null;
    readonly failure: DeviceFailure;
  }[];
  /** Streams that go out otherwise than planned, and can be received all the same. */
  readonly cautions: readonly { readonly streamId: string; readonly differences: readonly SdpDifference[] }[];
  /** By how much it says that it changed over after the moment that it was sent, in ms; missing: it was sent none, or does not say. */
  readonly lateMs?: number;
}

export interface SendReport {
  readonly devices: readonly DeviceReport[];
  readonly left: SendPlan['left'];
  /** Records for the plan of what was sent to the devices. */
  readonly put: readonly SentStream[];
  readonly drop: readonly SentStreamKey[];
  /** Devices that were not begun with because the send was stopped. */
  readonly notBegun: readonly string[];
  /** Channels that are not yet as the plan wants them: what sending again is about. */
  readonly again: readonly ChannelRef[];
}

/** How a device gets on while a send is under way. */
export interface SendProgress {
  readonly deviceId: string;
  readonly step: SendStep;
  /** The step has begun, was done, or failed. */
  readonly is: 'begun' | 'done' | 'failed';
}

/** What a send tells and asks while it is under way. */
export interface SendHooks {
  readonly tell: (progress: SendProgress) => void;
  /** True: nothing more is begun with. What was taken off is brought to its end, so that nothing stays silent. */
  readonly isStopped: () => boolean;
}

export const NO_HOOKS: SendHooks = { tell: () => {}, isStopped: () => false };

/** How devices answer, as the whole application knows it. By devices of the plan. */
export interface Answering {
  /** Until when a device that did not answer is left in peace, in ms since 1970; null: it may be asked. */
  readonly restsUntil: (deviceId: string) => number | null;
  /** Takes in how a step ended; null: it was done. */
  readonly note: (deviceId: string, failure: DeviceFailure | null) => void;
}

/** As the follower knows it. */
export function answeringOf(follower: FieldFollower, { nodeByDevice }: Bindings): Answering {
  const idOf = (deviceId: string) => nodeByDevice.get(deviceId)?.device?.id ?? null;
  return {
    restsUntil: (deviceId) => {
      const id = idOf(deviceId);
      return id === null ? null : follower.restsUntil(id);
    },
    note: (deviceId, failure) => {
      const id = idOf(deviceId);
      if (id !== null) follower.noteAnswer(id, failure);
    },
  };
}

const ALWAYS: Answering = { restsUntil: () => null, note: () => {} };

/**
 * What came of each step on each device. A device that did not answer once is asked no more in this send: its other steps fail at once, so
 * that the others need not wait for it.
 */
export class Report {
  private readonly silent = new Map<string, DeviceFailure>();

  constructor(
    private readonly tell: SendHooks['tell'] = NO_HOOKS.tell,
    private readonly answering: Answering = ALWAYS,
  ) {}

  private readonly byDevice = new Map<
    string,
    {
      done: SendStep[];
      failed: DeviceReport['failed'][number][];
      cautions: DeviceReport['cautions'][number][];
      lateMs?: number;
    }
  >();

  private of(deviceId: string) {
    let found = this.byDevice.get(deviceId);
    if (found === undefined) this.byDevice.set(deviceId, (found = { done: [], failed: [], cautions: [] }));
    return found;
  }

  /** Of several changes of a device the latest counts. */
  late(deviceId: string, ms: number | null): void {
    const own = this.of(deviceId);
    if (ms !== null) own.lateMs = Math.max(ms, own.lateMs ?? -Infinity);
  }

  caution(deviceId: string, streamId: string, differences: readonly SdpDifference[]): void {
    if (differences.length > 0) this.of(deviceId).cautions.push({ streamId, differences });
  }

  /** Runs one step on one device; a failure is noted and does not stop the others. */
  async step(deviceId: string, step: SendStep, streamId: string | null, run: () => Promise<unknown>): Promise<boolean> {
    this.tell({ deviceId, step, is: 'begun' });
    try {
      this.mayBeAsked(deviceId);
      await run();
      this.answering.note(deviceId, null);
      const { done } = this.of(deviceId);
      if (!done.includes(step)) done.push(step);
      this.tell({ deviceId, step, is: 'done' });
      return true;
    } catch (error) {
      const failure = failureOf(error);
      if (isSilence(failure) && !this.silent.has(deviceId)) {
        this.silent.set(deviceId, failure);
        this.answering.note(deviceId, failure);
      }
      this.of(deviceId).failed.push({ step, streamId, failure });
      this.tell({ deviceId, step, is: 'failed' });
      return false;
    }
  }

  private mayBeAsked(deviceId: string): void {
    const failure = this.silent.get(deviceId);
    if (failure !== undefined) throw new DeviceError(deviceId, failure);
    const untilMs = this.answering.restsUntil(deviceId);
    if (untilMs !== null) throw new DeviceError(deviceId, { kind: 'resting', untilMs });
  }

  /** Whether the device did not answer in this send: what it has done is not known. */
  isSilent(deviceId: string): boolean {
    return this.silent.has(deviceId);
  }

  hasFailed(deviceId: string): boolean {
    return (this.byDevice.get(deviceId)?.failed.length ?? 0) > 0;
  }

  devices(): DeviceReport[] {
    return [...this.byDevice].map(([deviceId, of]) => ({ deviceId, ...of }));
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
