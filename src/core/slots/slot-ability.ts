/**
 * Slot buses: a chain or ring of small units that carries a fixed number of numbered slots, one channel each. A unit is set
 * by selectors on its case to blocks of slots. All figures are those of the model.
 */

export const SELECTOR_KINDS = ['rotary', 'toggles'] as const;

/** How a block is set on the case: some rotary selectors, or a row of toggles (two positions each), the highest place first. */
export interface SlotSelector {
  readonly kind: (typeof SELECTOR_KINDS)[number];
  /** Selectors that together choose one block. */
  readonly count: number;
  /** Positions of each, counted from 0. */
  readonly positions: number;
  /** The number that the selectors show for block 1. */
  readonly firstBlockAt: number;
  /** The number at which the unit is not on the bus; null: it cannot be taken off by its selectors. */
  readonly offAt: number | null;
}

export interface SlotAbility {
  /** Slots that the bus has as this unit drives it. */
  readonly slotCount: number;
  /** Slots, and channels of the unit, that one choice covers. */
  readonly blockSize: number;
  /** Slots above it the unit cannot hear. */
  readonly highestHeard: number;
  /** How many blocks it can talk on and hear, each with selectors of its own. */
  readonly talkBlocks: number;
  readonly hearBlocks: number;
  readonly selector: SlotSelector;
}

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
