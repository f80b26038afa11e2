import { create } from 'zustand';
import { rowKey, type ChannelRow } from './lane-rows';

/** Which receiver channels are selected, where the cursor is, and where a run began. */
interface Selection {
  readonly selected: ReadonlySet<string>;
  readonly cursor: string | null;
  readonly anchor: string | null;
}

export const useSelection = create<Selection>(() => ({ selected: new Set(), cursor: null, anchor: null }));

const { getState, setState } = useSelection;
const keyOf = (row: ChannelRow) => rowKey(row.deviceId, row.channel);

/** Selects one row, or from the anchor to it, or it beside what is selected. `rows` are the channel rows in their order. */
export function selectRow(rows: readonly ChannelRow[], row: ChannelRow, how: 'only' | 'to' | 'toggle'): void {
  const key = keyOf(row);
  const { anchor, selected } = getState();
  if (how === 'to' && anchor !== null) {
    const from = rows.findIndex((r) => keyOf(r) === anchor);
    const to = rows.findIndex((r) => keyOf(r) === key);
    if (from >= 0 && to >= 0) {
      const run = rows.slice(Math.min(from, to), Math.max(from, to) + 1);
      setState({ selected: new Set(run.map(keyOf)), cursor: key });
      return;
    }
  }
  if (how === 'toggle') {
    const next = new Set(selected);
    if (!next.delete(key)) next.add(key);
    setState({ selected: next, cursor: key, anchor: key });
    return;
  }
  setState({ selected: new Set([key]), cursor: key, anchor: key });
}

export function selectRows(rows: readonly ChannelRow[]): void {
  const first = rows[0];
  if (first === undefined) return clearSelection();
  setState({ selected: new Set(rows.map(keyOf)), cursor: keyOf(first), anchor: keyOf(first) });
}

export function clearSelection(): void {
  setState({ selected: new Set(), anchor: getState().cursor });
}

/** `dome-amp-5:1-8` from the address bar. Null when it is not one. */
export function parseSelection(text: string | null): { deviceId: string; first: number; last: number } | null {
  const match = /^(.+):(\d+)-(\d+)$/.exec(text ?? '');
  if (match === null) return null;
  const [, deviceId = '', first = '1', last = '1'] = match;
  return { deviceId, first: Number(first), last: Math.min(Number(last), Number(first) + 4095) };
}

/** The selection as it goes into the address bar: only a run within one device can be told there. */
export function selectionText(selected: ReadonlySet<string>): string | null {
  let device: string | null = null;
  const channels: number[] = [];
  for (const key of selected) {
    const colon = key.lastIndexOf(':');
    const owner = key.slice(0, colon);
    if (device !== null && owner !== device) return null;
    device = owner;
    channels.push(Number(key.slice(colon + 1)));
  }
  if (device === null) return null;
  const first = Math.min(...channels);
  const last = Math.max(...channels);
  return last - first + 1 === channels.length ? `${device}:${first}-${last}` : null;
}
