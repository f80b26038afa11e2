import { useCallback, useRef, type MouseEvent, type PointerEvent, type RefObject } from 'react';
import { rowKey, type ChannelRow } from './lane-rows';
import { selectRow, selectRows, useSelection } from './selection';

/** What a press on a row of the lane sheet does. @param scroller has the focus afterwards */
export function useRowPresses(channelRows: readonly ChannelRow[], scroller: RefObject<HTMLDivElement | null>) {
  /** The row of a selected run on which the button went down. */
  const pressed = useRef<string | null>(null);
  // Rows are redrawn only when something of theirs changes, so what they are given must stay the same from draw to draw.
  const onPointer = useCallback(
    (row: ChannelRow, e: PointerEvent) => {
      // A press selects; dragging on over other rows makes it a run.
      const isPlain = !e.shiftKey && !e.ctrlKey && !e.metaKey;
      const isOneOfMany =
        useSelection.getState().selected.size > 1 &&
        useSelection.getState().selected.has(rowKey(row.deviceId, row.channel));
      if (e.type === 'pointerdown' && e.button === 0) {
        scroller.current?.focus({ preventScroll: true });
        // A run that is pressed again may be about to be dragged: only the release makes one row of it.
        pressed.current = isPlain && isOneOfMany ? rowKey(row.deviceId, row.channel) : null;
        if (pressed.current !== null) return;
        selectRow(channelRows, row, e.shiftKey ? 'to' : e.ctrlKey || e.metaKey ? 'toggle' : 'only');
      } else if (e.type === 'pointerenter' && (e.buttons & 1) === 1 && !e.ctrlKey) selectRow(channelRows, row, 'to');
    },
    [channelRows, scroller],
  );
  const onRelease = useCallback(
    (row: ChannelRow, e: MouseEvent) => {
      const isPlain = !e.shiftKey && !e.ctrlKey && !e.metaKey;
      if (isPlain && pressed.current === rowKey(row.deviceId, row.channel)) selectRow(channelRows, row, 'only');
      pressed.current = null;
    },
    [channelRows],
  );
  const onSelectAll = useCallback(
    (deviceId: string) => selectRows(channelRows.filter((r) => r.deviceId === deviceId)),
    [channelRows],
  );
  return { onPointer, onRelease, onSelectAll };
}
