import { formatTai, parseTai, taiOf } from '../core/units/tai';
import { rawOf } from '../core/formats/raw';

/** One moment at which many devices change over. */
export interface Moment {
  /** In ms since 1970. */
  readonly atMs: number;
  /**
   * `clock`: devices are sent the moment (TAI) and keep time themselves; `countdown`: each is sent how long it still is, for devices whose time of day
   * nobody has set.
   */
  readonly by: 'clock' | 'countdown';
}

/** The `activation` of IS-05 and IS-08. */
export interface Activation {
  readonly mode: 'activate_immediate' | 'activate_scheduled_absolute' | 'activate_scheduled_relative';
  readonly requested_time?: string;
}

export const AT_ONCE: Activation = { mode: 'activate_immediate' };

export function activationAt({ atMs, by }: Moment, nowMs: number = Date.now()): Activation {
  if (by === 'clock') return { mode: 'activate_scheduled_absolute', requested_time: formatTai(taiOf(atMs)) };
  const left = BigInt(Math.max(0, Math.round(atMs - nowMs))) * 1_000_000n;
  return { mode: 'activate_scheduled_relative', requested_time: formatTai(left) };
}

/** By how much a device says that it was late, in ms; null: it does not say. */
export function lateBy({ atMs }: Moment, activation: unknown): number | null {
  const done = parseTai(rawOf(activation)['activation_time']);
  return done === null ? null : Number(done - taiOf(atMs)) / 1e6;
}
