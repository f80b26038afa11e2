import { create } from 'zustand';

/** Which channels of the device are selected, in one column at a time, and where the cursor is: at a channel or at a heading. */
interface Selection {
  readonly keys: ReadonlySet<string>;
  readonly cursor: string | null;
  readonly anchor: string | null;
  /** Which terminals of the device somebody folded, true, or unfolded, false. */
  readonly folded: ReadonlyMap<string, boolean>;
}

const NOTHING: Selection = { keys: new Set(), cursor: null, anchor: null, folded: new Map() };

export const usePatchSelection = create<Selection>(() => NOTHING);

/** For another device: nothing is selected, and nothing folded by hand. */
export const clearPatchSelection = () => usePatchSelection.setState(NOTHING);

/** No channel and no heading: the device itself is shown. */
export const selectNothing = () => usePatchSelection.setState({ keys: new Set(), cursor: null, anchor: null });

/** The cursor at the heading of a terminal: no channel is selected. */
export const standAtTerminal = (key: string) =>
  usePatchSelection.setState({ keys: new Set(), cursor: key, anchor: null });

export const foldTerminal = (terminalId: string, isFolded: boolean) =>
  usePatchSelection.setState(({ folded }) => ({ folded: new Map([...folded, [terminalId, isFolded]]) }));

export type SelectHow = 'only' | 'to' | 'toggle' | 'all';

/** @param order the keys of the channels of the column, as they stand there */
export function selectChannel(key: string, how: SelectHow, order: readonly string[]): void {
  usePatchSelection.setState(({ keys, anchor }) => {
    const isHere = anchor !== null && order.includes(anchor);
    if (how === 'all') return { keys: new Set(order), cursor: key, anchor: isHere ? anchor : key };
    if (how === 'toggle' && isHere) {
      const next = new Set(keys);
      if (!next.delete(key)) next.add(key);
      return { keys: next, cursor: key, anchor: key };
    }
    if (how === 'to' && isHere) {
      const [a, b] = [order.indexOf(anchor), order.indexOf(key)].sort((x, y) => x - y) as [number, number];
      return { keys: new Set(order.slice(a, b + 1)), cursor: key, anchor };
    }
    return { keys: new Set([key]), cursor: key, anchor: key };
  });
}
