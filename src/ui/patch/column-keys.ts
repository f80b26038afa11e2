import type { ClipboardEvent, KeyboardEvent } from 'react';
import type { Plan } from '@/core/plan/plan';
import { pasteBlock } from '@/ui/parts/paste-block';
import { cursorStep } from '@/ui/parts/sheet-parts';
import { pasteChannelNames } from '@/ui/parts/sheet-pastes';
import { channelKeys, endOfKey, type Row } from './patch-rows';
import { selectChannel, standAtTerminal, usePatchSelection } from './selection';

/** What the keys do in a column of the device patch, and where the clipboard goes. @param order the channels, as they stand */
export function useColumnKeys({
  plan,
  deviceId,
  rows,
  order,
  cursorIndex,
  onSide,
  onFold,
  onPatch,
  onClear,
}: {
  plan: Plan;
  deviceId: string;
  rows: readonly Row[];
  order: readonly string[];
  cursorIndex: number;
  onSide: (by: number) => void;
  onFold: (terminalId: string, isFolded: boolean) => void;
  onPatch: () => void;
  onClear: () => void;
}) {
  const { keys } = usePatchSelection();
  /** Headings are stepped on as well, so that what is folded can be unfolded; a run goes over channels alone. */
  const stepTo = (step: number, isRun: boolean) => {
    const at = cursorIndex < 0 ? 0 : Math.max(0, Math.min(rows.length - 1, cursorIndex + step));
    const ahead = step > 0 ? rows.slice(at) : rows.slice(0, at + 1).reverse();
    const to = isRun ? ahead.find((r) => r.kind === 'channel') : rows[at];
    if (to === undefined) return;
    if (to.kind === 'terminal') standAtTerminal(to.key);
    else selectChannel(to.key, isRun ? 'to' : 'only', order);
  };

  const onKeyDown = (e: KeyboardEvent) => {
    if (e.target !== e.currentTarget) return;
    const step = cursorStep(e.key);
    const at = rows[cursorIndex];
    const isCommand = e.ctrlKey || e.metaKey;
    if (step !== undefined) stepTo(step, e.shiftKey);
    else if (e.key === 'ArrowLeft') onSide(-1);
    else if (e.key === 'ArrowRight') onSide(1);
    else if (at?.kind === 'terminal' && (e.key === 'Enter' || e.key === ' ')) onFold(at.terminal.id, !at.isFolded);
    else if (e.key === ' ' && at !== undefined) selectChannel(at.key, 'toggle', order);
    else if (e.key.toLowerCase() === 'a' && isCommand) {
      // All of the terminal that the cursor is in.
      const terminalId = (at ?? rows[0])?.terminal.id;
      const own = channelKeys(rows.filter((r) => r.terminal.id === terminalId));
      const first = at?.kind === 'channel' ? at.key : own[0];
      if (first !== undefined) selectChannel(first, 'all', own);
    } else if (e.key === 'Enter') onPatch();
    else if (e.key === 'Delete' || e.key === 'Backspace') onClear();
    else return;
    e.preventDefault();
  };

  const onPaste = (e: ClipboardEvent) => {
    if (e.target !== e.currentTarget) return;
    e.preventDefault();
    const paste = pasteChannelNames(plan, deviceId);
    const chosen = order.filter((key) => keys.has(key));
    const laid = pasteBlock(e.clipboardData.getData('text/plain'), paste.columns, chosen, order);
    if (laid === null) return;
    paste.onPasted(
      laid.flatMap(({ row, cells }) => {
        const end = endOfKey(row);
        return end === null ? [] : [{ row: end, cells }];
      }),
    );
  };
  return { onKeyDown, onPaste };
}
