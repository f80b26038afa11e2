import type { Tap } from '@/core/signal/terminal-shape';
import type { Terminal } from '@/core/signal/terminals';
import type { PatchChannel } from '@/workers/patch-view';

/** The columns of a device: where sound comes in, where it is led on inside, where it goes out. */
export const COLUMNS = ['in', 'inside', 'out'] as const;
export type Column = (typeof COLUMNS)[number];

export type Row =
  | { readonly kind: 'terminal'; readonly key: string; readonly terminal: Terminal; readonly isFolded: boolean }
  | {
      readonly kind: 'channel';
      readonly key: string;
      readonly terminal: Terminal;
      readonly channel: PatchChannel;
    };

/** `strips:12`, as it stands in the address of the page. */
export const keyOf = (terminalId: string, channel: number) => `${terminalId}:${channel}`;

export function endOfKey(key: string): { readonly terminalId: string; readonly channel: number } | null {
  const colon = key.lastIndexOf(':');
  const channel = Number(key.slice(colon + 1));
  return colon < 1 || !Number.isInteger(channel) || channel < 1 ? null : { terminalId: key.slice(0, colon), channel };
}

/** Whether anything is to be seen at a channel: it has a name, is fed from outside, plugged in, patched or heard. */
const isInUse = (c: PatchChannel) =>
  c.ownName !== null || c.soundName !== null || c.isFed || c.misfits.length > 0 || (c.isHeard && c.feeders.length > 0);

export interface RowFilter {
  readonly text: string;
  readonly onlyInUse: boolean;
  readonly folded: ReadonlySet<string>;
}

/** The rows of each column, terminal by terminal; those that a filter hides are not among them. */
export function rowsOf(
  terminals: readonly Terminal[],
  channels: readonly PatchChannel[],
  { text, onlyInUse, folded }: RowFilter,
): Readonly<Record<Column, readonly Row[]>> {
  const byTerminal = new Map<string, PatchChannel[]>();
  for (const c of channels) {
    const known = byTerminal.get(c.terminalId);
    if (known === undefined) byTerminal.set(c.terminalId, [c]);
    else known.push(c);
  }
  const words = text.trim().toLowerCase();
  const isFound = (t: Terminal, c: PatchChannel) =>
    words === '' ||
    `${t.name} ${c.channel + t.countsFrom - 1} ${c.ownName ?? ''} ${c.soundName ?? ''}`.toLowerCase().includes(words);
  const rows: Record<Column, Row[]> = { in: [], inside: [], out: [] };
  for (const terminal of terminals) {
    const own = (byTerminal.get(terminal.id) ?? []).filter((c) => isFound(terminal, c) && (!onlyInUse || isInUse(c)));
    if (own.length === 0) continue;
    const isFolded = folded.has(terminal.id) && words === '';
    rows[terminal.direction].push({ kind: 'terminal', key: terminal.id, terminal, isFolded });
    if (isFolded) continue;
    for (const channel of own) {
      rows[terminal.direction].push({ kind: 'channel', key: keyOf(terminal.id, channel.channel), terminal, channel });
    }
  }
  return rows;
}

/** One line between two columns: from a row of the one to a row of the other, by their places in the lists. */
export interface Joint {
  readonly from: number;
  readonly to: number;
  readonly fedKey: string;
  readonly fromKey: string;
}

/** The lines from one column to the next. What is fed from its own column, or past one, has none: its row says where from. */
export function jointsOf(deviceId: string, left: readonly Row[], right: readonly Row[]): readonly Joint[] {
  const placeOf = new Map<string, number>();
  left.forEach((row, n) => {
    if (row.kind === 'channel') placeOf.set(row.key, n);
    else if (row.isFolded) placeOf.set(row.terminal.id, n);
  });
  return right.flatMap((row, to) => {
    if (row.kind !== 'channel' || row.channel.feeders.length !== 1) return [];
    const [feeder] = row.channel.feeders;
    if (feeder?.deviceId !== deviceId) return [];
    const fromKey = keyOf(feeder.terminalId, feeder.channel);
    const from = placeOf.get(fromKey) ?? placeOf.get(feeder.terminalId);
    return from === undefined ? [] : [{ from, to, fedKey: row.key, fromKey }];
  });
}

/** The taps that all of some channels offer, the earliest first. */
export const commonTaps = (terminal: Pick<Terminal, 'taps'> | undefined): readonly Tap[] => terminal?.taps ?? [];
