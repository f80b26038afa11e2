import { labelOf, type Plan } from '../plan/plan';
import { selectorPositions, slotsOfBlock } from '../slots/slot-ability';
import type { BusState } from '../slots/slot-bus';
import { writeTable } from './table';

const COLUMNS = ['number', 'unit', 'place', 'selectors', 'set to', 'block', 'slots', 'channels'] as const;

/** What the fitter sets on each case of a bus, a line for every choice, as CSV. */
export function writeFittingSheet(plan: Plan, state: BusState): string {
  const lines = state.units.flatMap(({ device, unit, ability }, n) =>
    (['talks', 'hears'] as const).flatMap((way) =>
      unit[way].map((block, choice) => {
        const side = way === 'talks' ? 'send' : 'receive';
        const slots = block === null ? null : slotsOfBlock(ability, block);
        const channels = Array.from({ length: ability.blockSize }, (_, k) => choice * ability.blockSize + k + 1);
        return [
          String(n + 1),
          device.name,
          plan.places.get(device.placeId ?? '')?.name ?? '',
          `${way}${unit[way].length > 1 ? ` ${choice + 1}` : ''}`,
          (selectorPositions(ability, block) ?? []).join(' '),
          block === null ? 'off' : String(block),
          slots === null ? '' : `${slots.first}-${slots.last}`,
          channels.map((c) => labelOf(plan, device.id, side, c) ?? String(c)).join('; '),
        ];
      }),
    ),
  );
  return writeTable(COLUMNS, lines);
}
