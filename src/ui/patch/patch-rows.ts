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

/** Of the heading of a terminal: never that of a channel. */
const headingKey = (terminalId: string) => `#${terminalId}`;

/** Null: it is not the key of a channel. */
export function endOfKey(key: string): { readonly terminalId: string; readonly channel: number } | null {
  const colon = key.lastIndexOf(':');
  const channel = Number(key.slice(colon + 1));
  return key.startsWith('#') || colon < 1 || !Number.isInteger(channel) || channel < 1
    ? null
    : { terminalId: key.slice(0, colon), channel };
}

/** What a channel goes by, and what else it is called: an input by what is heard there, anything else by its own label. */
export function namesOf(
  { direction }: Pick<Terminal, 'direction'>,
  { ownName, soundName }: Pick<PatchChannel, 'ownName' | 'soundName'>,
): readonly [name: string | null, other: string | null] {
  const [name, other] = direction === 'in' ? [soundName ?? ownName, ownName] : [ownName ?? soundName, soundName];
  return [name, other === name ? null : other];
}

/** Whether anything is to be seen at a channel: it has a name, is fed from outside, plugged in, patched or heard. */
const isInUse = (c: PatchChannel) =>
  c.ownName !== null ||
  c.soundName !== null ||
  c.isFed ||
  c.misfits.length > 0 ||
  (c.isReceived && c.feeders.length > 0);

export interface RowFilter {
  readonly text: string;
  readonly onlyInUse: boolean;
  /** Which terminals somebody folded, true, or unfolded, false. Any other is folded as long as nothing is planned for it. */
  readonly folded: ReadonlyMap<string, boolean>;
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
  for (const terminal of [...terminals].sort((a, b) => ORDER[a.kind] - ORDER[b.kind])) {
    const all = byTerminal.get(terminal.id) ?? [];
    const own = all.filter((c) => isFound(terminal, c) && (!onlyInUse || isInUse(c)));
    if (own.length === 0) continue;
    const isIdle = !all.some(isInUse) && terminals.length > 1;
    const isFolded = (folded.get(terminal.id) ?? isIdle) && words === '';
    rows[terminal.direction].push({ kind: 'terminal', key: headingKey(terminal.id), terminal, isFolded });
    if (isFolded) continue;
    for (const channel of own) {
      rows[terminal.direction].push({ kind: 'channel', key: keyOf(terminal.id, channel.channel), terminal, channel });
    }
  }
  return rows;
}

/** Sockets before links, links before what comes over a network. */
const ORDER: Readonly<Record<Terminal['kind'], number>> = {
  connector: 0,
  radio: 0,
  link: 1,
  computer: 1,
  strip: 1,
  bus: 2,
  direct: 3,
  monitor: 4,
  network: 5,
  slots: 5,
};

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

/** Lines side by side that run in step: drawn as one ribbon. */
export interface Ribbon {
  readonly first: Joint;
  readonly last: Joint;
  readonly fedKeys: readonly string[];
  readonly fromKeys: readonly string[];
}

export function ribbonsOf(joints: readonly Joint[], isApart: (joint: Joint) => boolean): readonly Ribbon[] {
  const ribbons: { first: Joint; last: Joint; fedKeys: string[]; fromKeys: string[] }[] = [];
  for (const joint of [...joints].sort((a, b) => a.to - b.to)) {
    const open = ribbons[ribbons.length - 1];
    const isNext =
      open !== undefined &&
      joint.to === open.last.to + 1 &&
      joint.from === open.last.from + 1 &&
      !isApart(joint) &&
      !isApart(open.last);
    if (isNext) {
      open.last = joint;
      open.fedKeys.push(joint.fedKey);
      open.fromKeys.push(joint.fromKey);
    } else ribbons.push({ first: joint, last: joint, fedKeys: [joint.fedKey], fromKeys: [joint.fromKey] });
  }
  return ribbons;
}

export const channelKeys = (rows: readonly Row[]): string[] =>
  rows.flatMap((r) => (r.kind === 'channel' ? [r.key] : []));
