import { nullable, oneOf, record, whole, type Described } from '../plan/shape';

/**
 * Slot buses: a chain or ring of small units that carries a fixed number of numbered slots, one channel each. A unit is set
 * to blocks of slots by selectors on its case, or in its menu. All figures are those of the model.
 */

export const SELECTOR_KINDS = ['rotary', 'toggles', 'menu'] as const;

/** How a block is set: rotary selectors or a row of DIP switches (two positions each), the highest place first, or a number in a menu. */
const slotSelector = record({
  kind: oneOf(SELECTOR_KINDS),
  /** Selectors that together choose one block. */
  count: whole(1, 16),
  /** Positions of each, counted from 0. Of a menu: one more than the highest number it takes. */
  positions: whole(2, 65_536),
  /** The number that the selectors show for block 1. */
  firstBlockAt: whole(0, 4096),
  /** The number at which the unit is not on the bus; null: it cannot be taken off by its selectors. */
  offAt: nullable(whole(0, 65_536)),
});

export const slotAbility = record({
  /** Slots that the bus has as this unit drives it. */
  slotCount: whole(1, 4096),
  /** Slots, and channels of the unit, that one choice covers. */
  blockSize: whole(1, 4096),
  /** Slots above it the unit cannot hear. */
  highestHeard: whole(0, 4096),
  /** How many blocks it can talk on and hear, each with selectors of its own. */
  talkBlocks: whole(0, 64),
  hearBlocks: whole(0, 64),
  selector: slotSelector,
});
export type SlotAbility = Described<typeof slotAbility>;

/** The slots of a block, both ends included; blocks and slots count from 1. */
export function slotsOfBlock(ability: SlotAbility, block: number): { readonly first: number; readonly last: number } {
  const last = block * ability.blockSize;
  return { first: last - ability.blockSize + 1, last };
}

/** How many blocks the selectors can choose: those that fit on the bus and have a number that can be set. */
export function blockCount({ slotCount, blockSize, selector }: SlotAbility): number {
  const settable = selector.positions ** selector.count - selector.firstBlockAt;
  return Math.max(0, Math.min(Math.floor(slotCount / blockSize), settable));
}

/** Whether the selectors can be set to this block (null: off the bus). */
export function isSettable(ability: SlotAbility, block: number | null): boolean {
  return selectorPositions(ability, block) !== null;
}

/** Where each selector stands, from the highest place to the lowest; null where they cannot be set so. */
export function selectorPositions(ability: SlotAbility, block: number | null): number[] | null {
  const { selector } = ability;
  if (block === null ? selector.offAt === null : block < 1 || block > blockCount(ability)) return null;
  const number = block === null ? (selector.offAt as number) : selector.firstBlockAt + block - 1;
  // A number that means "off" is no block.
  if (block !== null && number === selector.offAt) return null;
  if (number >= selector.positions ** selector.count) return null;
  const positions: number[] = [];
  for (let rest = number, place = 0; place < selector.count; place += 1) {
    positions.unshift(rest % selector.positions);
    rest = Math.floor(rest / selector.positions);
  }
  return positions;
}
