import type { PlanOf } from '../plan/plan';
import type { SignalEnd } from '../signal/signal-end';
import { TAPS, type Tap } from '../signal/terminal-shape';
import type { Terminal } from '../signal/terminals';

/** Where a sound is taken when nothing is said: after everything that the strip or bus offers. Null: there is but one place. */
function usualTap({ taps }: Pick<Terminal, 'taps'>): Tap | null {
  return TAPS.filter((t) => taps.includes(t)).at(-1) ?? null;
}

/** Where the sound that goes from one channel of a device to another is taken. */
export function tapBetween(
  plan: PlanOf<'patches' | 'busSends'>,
  from: SignalEnd & { readonly terminal: Terminal },
  to: SignalEnd,
): Tap | null {
  const fed = `${to.terminalId}/${to.channel}`;
  const send = plan.busSends.get(to.deviceId)?.get(`${fed}/${from.terminalId}/${from.channel}`);
  return (send ?? plan.patches.get(to.deviceId)?.get(fed))?.tap ?? usualTap(from.terminal);
}
