import type { PlanOf } from '../plan/plan';
import type { SignalEnd } from './signal-end';
import type { Terminal } from './terminals';

/** The tables that say which clock a terminal runs on. */
export type TerminalClocks = PlanOf<'clocks' | 'clockGroups'> & {
  readonly devices: ReadonlyMap<string, { readonly rateHz: number; readonly modelId: string }>;
};

type At = Pick<SignalEnd, 'deviceId'> & { readonly terminal: Pick<Terminal, 'isOtherSide'> };

const otherGroupAt = ({ clocks }: PlanOf<'clocks'>, { deviceId, terminal }: At): string | null =>
  terminal.isOtherSide ? (clocks.get(deviceId)?.secondGroupId ?? null) : null;

/** The clock group of a terminal: of the other side of a device where its model puts the terminal there and that side has one. */
export const clockGroupAt = (plan: PlanOf<'clocks'>, at: At): string | null =>
  otherGroupAt(plan, at) ?? plan.clocks.get(at.deviceId)?.groupId ?? null;

/** The rate of a terminal in hertz: that of its other side's clock group, or of its device. Null: the plan has no such device. */
export function rateAt(plan: TerminalClocks, at: At): number | null {
  const other = plan.clockGroups.get(otherGroupAt(plan, at) ?? '');
  return other?.rateHz ?? plan.devices.get(at.deviceId)?.rateHz ?? null;
}
