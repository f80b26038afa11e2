import type { PlanOf } from '../plan/plan';
import type { Lane } from '../reckon/lane';
import { settingsAt } from '../signal/levels';
import type { SignalEnd } from '../signal/signal-end';
import type { Terminal } from '../signal/terminals';

/**
 * What one channel adds to the delay of a sound, in nanoseconds: its terminal's own delay, what is set at it, and at a network input the
 * link offset of its lane. Delays that no figure states count as none, cables too.
 */
export function channelDelayNs(
  plan: PlanOf<'channelSettings'>,
  at: SignalEnd & { readonly terminal: Terminal },
  laneOf: (deviceId: string, channel: number) => Lane | undefined,
): number {
  const { terminal, deviceId, channel } = at;
  const own = (terminal.delayNs ?? 0) + (settingsAt(plan, at)?.outputDelayNs ?? 0);
  if (terminal.kind !== 'network' || terminal.direction !== 'in') return own;
  return own + (laneOf(deviceId, channel)?.reception?.offset.offsetNs ?? 0);
}
