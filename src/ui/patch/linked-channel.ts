import { useQueryState } from 'nuqs';
import { useEffect, useRef } from 'react';
import type { SignalEnd } from '@/core/signal/signal-end';
import type { Terminal } from '@/core/signal/terminals';
import { endOfKey, keyOf } from './patch-rows';
import { clearPatchSelection, foldTerminal, selectChannel, selectNothing, usePatchSelection } from './selection';

/** A link into a device selects a channel of it; the channel that is selected goes into the link. Returns what selects one. */
export function useLinkedChannel(deviceId: string, terminals: readonly Terminal[]) {
  const [linked, setLinked] = useQueryState('sel');
  const { cursor } = usePatchSelection();

  /** Selects a channel alone, where it can be seen. */
  const goTo = ({ terminalId, channel }: Pick<SignalEnd, 'terminalId' | 'channel'>) => {
    const size = terminals.find((t) => t.id === terminalId)?.channels ?? 0;
    if (channel > size) return;
    foldTerminal(terminalId, false);
    selectChannel(
      keyOf(terminalId, channel),
      'only',
      Array.from({ length: size }, (_, n) => keyOf(terminalId, n + 1)),
    );
  };

  // Another device: nothing of the one before stays selected or folded. A link into it selects a channel.
  useEffect(() => {
    clearPatchSelection();
    return clearPatchSelection;
  }, [deviceId]);
  const linkedBefore = useRef(linked);
  useEffect(() => {
    const end = linked === null ? null : endOfKey(linked);
    if (end !== null && linked !== cursor) goTo(end);
    // A link to the device alone, while a channel of it is selected: it shows the device.
    if (linked === null && linkedBefore.current !== null) selectNothing();
    linkedBefore.current = linked;
    // Only when the link changes: what is selected otherwise writes the link.
    // oxlint-disable-next-line react/exhaustive-deps
  }, [linked, terminals]);
  useEffect(() => {
    if (cursor === null || cursor === linked || endOfKey(cursor) === null) return;
    const timer = setTimeout(() => void setLinked(cursor), 300);
    return () => clearTimeout(timer);
  }, [cursor, linked, setLinked]);
  return goTo;
}
