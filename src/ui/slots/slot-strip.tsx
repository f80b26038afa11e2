import type { Plan } from '@/core/plan/plan';
import type { BusState, SlotUse } from '@/core/slots/slot-bus';
import { count } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';

/** A run of neighbouring slots with the same talkers. */
interface Stretch {
  readonly first: number;
  readonly last: number;
  readonly talkers: readonly string[];
  readonly receivers: number;
}

function stretches(slots: readonly SlotUse[]): Stretch[] {
  const runs: Stretch[] = [];
  for (const { slot, talkers, receivers } of slots) {
    const ids = talkers.map((t) => `${t.deviceId} ${t.choice}`);
    const run = runs[runs.length - 1];
    const isSame = run?.talkers.join() === ids.join() && run.receivers > 0 === receivers.length > 0;
    if (run && isSame) runs[runs.length - 1] = { ...run, last: slot };
    else runs.push({ first: slot, last: slot, talkers: ids, receivers: receivers.length });
  }
  return runs;
}

const STEP = 8;

/** All slots of a bus in a row: who talks where, what is listened to, what is free. */
export function SlotStrip({
  plan,
  state,
  selectedId,
  onSelect,
}: {
  plan: Plan;
  state: BusState;
  selectedId: string | null;
  onSelect: (deviceId: string) => void;
}) {
  const { slots, units, freeSlots, slotCount } = state;
  const number = new Map(units.map((u, n) => [u.device.id, n + 1]));
  const percent = (slot: number) => `${((slot - 1) / slots.length) * 100}%`;
  const width = (run: Stretch) => `${((run.last - run.first + 1) / slots.length) * 100}%`;
  return (
    <div>
      <div
        role="group"
        aria-label={`${state.bus.name}: ${slotCount - freeSlots} of ${count(slotCount, 'slot')} sending, ${freeSlots} free`}
        className="relative h-9 border border-edge bg-bg"
      >
        {stretches(slots).map((run) => {
          const ids = [...new Set(run.talkers.map((t) => t.slice(0, t.lastIndexOf(' '))))];
          const place = `${run.first === run.last ? `Slot ${run.first}` : `Slots ${run.first}–${run.last}`}`;
          const names = ids.map((id) => deviceName(plan, id)).join(' and ');
          const isClash = run.talkers.length > 1;
          const isBeyond = run.first > slotCount;
          const said = `${place}: ${names === '' ? (run.receivers > 0 ? 'listened to, no talker' : 'free') : `${names} ${isClash ? 'both talk' : 'talks'}`}${isBeyond ? ', beyond the bus' : ''}`;
          const style = { left: percent(run.first), width: width(run) };
          const ear =
            run.receivers > 0 ? (
              <span aria-hidden="true" className="absolute inset-x-px bottom-0 h-[5px] border-t border-bg bg-ink/70" />
            ) : null;
          if (ids.length === 0) {
            return (
              <span key={run.first} title={said} style={style} className="absolute inset-y-0">
                {ear}
              </span>
            );
          }
          const isSelected = selectedId !== null && ids.includes(selectedId);
          return (
            <button
              key={run.first}
              type="button"
              title={said}
              aria-label={said}
              aria-pressed={isSelected}
              onClick={() => onSelect(ids[ids.length - 1] as string)}
              style={{
                ...style,
                ...(isClash || isBeyond
                  ? { backgroundImage: 'repeating-linear-gradient(135deg, var(--bg) 0 2px, transparent 2px 6px)' }
                  : {}),
              }}
              className={`absolute inset-y-0 overflow-hidden border-x border-bg pb-1.5 font-mono text-[12px] font-medium text-on-jade focus-visible:z-10 focus-visible:outline-2 focus-visible:outline-ink ${
                isClash || isBeyond ? 'bg-madder' : 'bg-jade'
              } ${isSelected ? 'z-[1] outline-2 outline-ink' : ''}`}
            >
              <span className={isClash || isBeyond ? 'bg-bg px-0.5 text-madder' : ''}>
                {ids.map((id) => number.get(id)).join('+')}
              </span>
              {ear}
            </button>
          );
        })}
      </div>
      <div aria-hidden="true" className="relative h-4 font-mono text-[11px] text-faint">
        {slots
          .filter(({ slot }) => slot === 1 || slot % STEP === 0)
          .map(({ slot }) => (
            <span
              key={slot}
              style={{ left: `${((slot - 0.5) / slots.length) * 100}%` }}
              className="absolute -translate-x-1/2"
            >
              {slot}
            </span>
          ))}
      </div>
    </div>
  );
}
