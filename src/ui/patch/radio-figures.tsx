import { BATTERY_LOW_PERCENT, isBattery, type ChannelFigure } from '@/core/signal/telemetry';
import type { SignalEnd } from '@/core/signal/signal-end';
import type { Plan } from '@/core/plan/plan';
import { Age } from '@/ui/parts/age';
import { PanelHeading } from '@/ui/parts/controls';
import { endWords } from '@/ui/parts/signal-words';
import { plain } from '@/ui/parts/units';
import { usePlan } from '@/ui/session/plan-store';

const NO_FIGURES: readonly ChannelFigure[] = [];

/** What the device of a radio channel reports of it. */
export function useRadioFigures(radio: SignalEnd | null): readonly ChannelFigure[] {
  return usePlan((s) =>
    radio === null
      ? NO_FIGURES
      : (s.field.channelFigures.get(radio.deviceId)?.[`${radio.terminalId}/${radio.channel}`] ?? NO_FIGURES),
  );
}

const isLow = (f: ChannelFigure) => isBattery(f) && f.value < BATTERY_LOW_PERCENT;

/** What is left in a battery that is low, in per cent; null: none is. */
export const lowBattery = (figures: readonly ChannelFigure[]): number | null => {
  const low = figures.find(isLow);
  return low === undefined ? null : Math.round(low.value);
};

/** Battery and radio level of the pack whose sound a channel has, however it travels there. */
export function RadioSection({ plan, end, radio }: { plan: Plan; end: SignalEnd; radio: SignalEnd | null }) {
  const figures = useRadioFigures(radio);
  if (radio === null || figures.length === 0) return null;
  const isHere = radio.deviceId === end.deviceId && radio.terminalId === end.terminalId;
  const oldest = Math.min(...figures.map((f) => f.readAt));
  return (
    <>
      <PanelHeading>Radio pack</PanelHeading>
      {isHere ? null : <p className="text-dim">{endWords(plan, radio)}</p>}
      <dl className="grid grid-cols-[1fr_auto] gap-x-3">
        {figures.map((f) => (
          <div key={f.role} className="contents">
            <dt className="text-dim">{f.role}</dt>
            <dd className={`font-mono ${isLow(f) ? 'text-ochre' : ''}`}>
              {plain(f.value).replace('-', '−')} {f.unit}
              {isLow(f) ? ', low' : ''}
            </dd>
          </div>
        ))}
      </dl>
      <Age at={oldest} />
    </>
  );
}
