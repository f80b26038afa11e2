import type { Plan } from '@/core/plan/plan';
import { blockCount, isSettable, slotsOfBlock } from '@/core/slots/slot-ability';
import type { BusState, UnitOnBus } from '@/core/slots/slot-bus';
import { SelectField } from '@/ui/parts/controls';
import { blockText } from '@/ui/parts/slot-words';
import { commit } from '@/ui/session/actions';
import { deviceName } from '@/ui/parts/names';
import { Selectors } from './selectors';

export type BlockUse = 'talks' | 'hears';

const WAY_WORDS: Readonly<Record<BlockUse, string>> = { talks: 'talks on', hears: 'listens to' };

/** One choice of a unit: its block, chosen with what is there in view, and the selectors beside it. */
export function BlockChoice({
  plan,
  state,
  unit,
  way,
  choice,
}: {
  plan: Plan;
  state: BusState;
  unit: UnitOnBus;
  way: BlockUse;
  choice: number;
}) {
  const { device, ability } = unit;
  const blocks = unit.unit[way];
  const block = blocks[choice] ?? null;
  const many = blocks.length > 1 ? ` ${choice + 1}` : '';
  const label = `${device.name} ${WAY_WORDS[way]}${many}`;
  const choose = (next: number | null) =>
    void commit(`${label} ${next === null ? 'no block' : `block ${blockText(ability, next)}`}`, [
      {
        kind: 'put-slot-unit',
        unit: { ...unit.unit, [way]: blocks.map((b, n) => (n === choice ? next : b)) },
      },
    ]);
  const others = (next: number) => {
    const { first, last } = slotsOfBlock(ability, next);
    const ids = new Set<string>();
    for (let slot = first; slot <= last; slot += 1) {
      for (const t of state.slots[slot - 1]?.talkers ?? []) {
        if (way === 'hears' || t.deviceId !== device.id || t.choice !== choice) ids.add(t.deviceId);
      }
    }
    return [...ids].map((id) => deviceName(plan, id)).join(', ');
  };
  const note = (next: number) => {
    const { last } = slotsOfBlock(ability, next);
    if (last > state.slotCount) return 'beyond the bus';
    if (way === 'hears' && last > ability.highestHeard) return 'too high for it';
    return others(next) || (way === 'talks' ? 'free' : 'nobody');
  };
  return (
    <span className="flex items-center gap-2">
      <SelectField
        aria-label={label}
        value={block ?? ''}
        onChange={(e) => choose(e.target.value === '' ? null : Number(e.target.value))}
        className="w-[136px]"
      >
        {isSettable(ability, null) ? <option value="">off</option> : null}
        {Array.from({ length: blockCount(ability) }, (_, n) => n + 1)
          .filter((b) => isSettable(ability, b))
          .map((b) => (
            <option key={b} value={b}>
              {b === block ? blockText(ability, b) : `${blockText(ability, b)}, ${note(b)}`}
            </option>
          ))}
      </SelectField>
      <Selectors ability={ability} block={block} label={label} />
    </span>
  );
}
