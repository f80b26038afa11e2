import { Names } from './names';
import Papa from 'papaparse';
import { channelCount, labelOf, subscriptionsOf, type Plan } from '../plan/plan';
import { likeLabel, sendersByLabel, type ReceiverChannel, type SenderChannel } from '../edits/fill';
import {
  fromSpreadsheet,
  readTable,
  writeTable,
  type ColumnMapping,
  type ColumnWords,
  type Table,
  type TableProblem,
} from './table';

/**
 * The patch list: one line for each receiver channel, with what it hears.
 *   receiver,channel,label,sender,sender channel,sender label,short label
 * Devices by name, or by id where several have the name. An empty sender is a channel that hears nothing; an empty label, or
 * a column that is not there, says nothing. The short label is the receiver channel's. The same table, separated by tabs, is what rows of the lane sheet are copied and pasted as.
 */
export const PATCH_COLUMNS = [
  'receiver',
  'channel',
  'label',
  'sender',
  'sender channel',
  'sender label',
  'short label',
] as const;
type PatchColumn = (typeof PATCH_COLUMNS)[number];

export const PATCH_WORDS: ColumnWords<PatchColumn> = {
  columns: PATCH_COLUMNS,
  needed: ['receiver', 'channel'],
  also: {
    receiver: ['receiver device', 'destination', 'destination device', 'dest', 'to', 'to device', 'listener', 'ziel'],
    channel: ['ch', 'receiver channel', 'destination channel', 'dest channel', 'to channel', 'input', 'in', 'kanal'],
    label: ['receiver label', 'destination label', 'channel label', 'channel name', 'name'],
    sender: ['sender device', 'source', 'source device', 'src', 'from', 'from device', 'talker', 'quelle'],
    'sender channel': ['source channel', 'src channel', 'from channel', 'sender ch', 'source ch', 'output', 'out'],
    'sender label': ['source label', 'source name', 'sender name', 'from label'],
    'short label': ['short', 'short name'],
  },
};

/** One line as it was written. Null: the table has no such column. */
export interface PatchRow {
  readonly line: number;
  readonly receiver: string;
  readonly channel: string;
  readonly label: string | null;
  readonly sender: string | null;
  readonly senderChannel: string | null;
  readonly senderLabel: string | null;
  readonly shortLabel: string | null;
}

const PATCH_LINES_MAX = 200_000;
export const PATCH_MAX_BYTES = 20_000_000;

/** A table that was read, with which of its columns is which. */
type ReadPatchList = { readonly rows: readonly PatchRow[] } & Omit<Table<PatchColumn>, 'lines'>;

export function readPatchList(text: string, mapping: ColumnMapping<PatchColumn> | null = null): ReadPatchList {
  const { lines, ...table } = readTable(text, PATCH_WORDS, PATCH_LINES_MAX, mapping);
  const rows = lines.map(({ line, fields }): PatchRow => ({
    line,
    receiver: (fields.receiver ?? '').trim(),
    channel: (fields.channel ?? '').trim(),
    label: fields.label,
    sender: fields.sender?.trim() ?? null,
    senderChannel: fields['sender channel']?.trim() ?? null,
    senderLabel: fields['sender label'],
    shortLabel: fields['short label'],
  }));
  return { rows, ...table };
}

/** The lines of some receiver channels. Reading them back changes nothing. */
export function writePatchRows(plan: Plan, receivers: Iterable<ReceiverChannel>, delimiter = ','): string {
  const names = new Names(plan.devices.values());
  const lines: string[][] = [];
  for (const { deviceId, channel } of receivers) {
    const s = subscriptionsOf(plan, deviceId).get(channel);
    lines.push([
      names.nameOf(deviceId),
      String(channel),
      labelOf(plan, deviceId, 'receive', channel) ?? '',
      s ? names.nameOf(s.senderDeviceId) : '',
      s ? String(s.senderChannel) : '',
      s ? (labelOf(plan, s.senderDeviceId, 'send', s.senderChannel) ?? '') : '',
      plan.labels.get(deviceId)?.get(`receive/${channel}`)?.short ?? '',
    ]);
  }
  return writeTable(PATCH_COLUMNS, lines, delimiter);
}

/** Every receiver channel of the plan, devices by their name. */
export function writePatchList(plan: Plan): string {
  return writePatchRows(plan, receiverChannels(plan));
}

function* receiverChannels(plan: Plan): Iterable<ReceiverChannel> {
  const devices = [...plan.devices.values()].sort((a, b) =>
    a.name < b.name ? -1 : a.name > b.name ? 1 : a.id < b.id ? -1 : 1,
  );
  for (const { id } of devices) {
    const count = channelCount(plan, id, 'receive');
    for (let channel = 1; channel <= count; channel += 1) yield { deviceId: id, channel };
  }
}

/** What a pasted block feeds, line by line: a sender channel, nothing (null), or `skip` where a line cannot be read. */
interface PastedFeeds {
  readonly feeds: readonly (SenderChannel | null | 'skip')[];
  readonly problems: readonly TableProblem[];
}

/**
 * Reads a block that was copied from the lane sheet or from a spreadsheet. With a header line, its sender columns count.
 * Without one: one field is `device · label` or a label that one sender channel carries, two are sender and channel (or
 * label), five or more are a whole patch line.
 */
export function readPastedFeeds(plan: Plan, text: string): PastedFeeds {
  const parsed = Papa.parse<string[]>(text.replace(/(\r\n|\r|\n)$/, ''), { delimiter: '\t' }).data;
  const named = (parsed[0] ?? []).map((c) => c.trim().toLowerCase());
  const hasHeader = named.includes('sender') && named.includes('sender channel');
  const lines = hasHeader ? parsed.slice(1) : parsed;
  const at = (name: PatchColumn) => named.indexOf(name);
  const finder = new SenderFinder(plan);
  const problems: TableProblem[] = [];
  const feeds = lines.map((fields, n): SenderChannel | null | 'skip' => {
    const [sender = '', channel = ''] = hasHeader
      ? [fields[at('sender')], fields[at('sender channel')]]
      : fields.length >= 5
        ? [fields[3], fields[4]]
        : fields;
    const found = finder.find(fromSpreadsheet(sender.trim()), fromSpreadsheet(channel.trim()));
    if (typeof found !== 'string') return found;
    problems.push({ line: n + 1 + (hasHeader ? 1 : 0), problem: found });
    return 'skip';
  });
  return { feeds, problems };
}

/** Finds sender channels by what people write for them. */
export class SenderFinder {
  private readonly names: Names;
  private byLabel: Map<string, SenderChannel[]> | null = null;

  constructor(private readonly plan: Plan) {
    this.names = new Names(plan.devices.values());
  }

  /** Null where nothing is named; a sentence where it cannot be found. */
  find(sender: string, channel: string): SenderChannel | null | string {
    if (sender === '' && channel === '') return null;
    if (channel === '') {
      const [device, label] = sender.split(/\s+·\s+/, 2);
      if (label !== undefined) return this.find(device as string, label);
      const like = this.labelled(sender);
      if (like.length === 1) return like[0] as SenderChannel;
      return like.length === 0
        ? `no sender channel is labelled “${sender}”`
        : `${like.length} sender channels are labelled “${sender}”`;
    }
    const deviceId = this.names.idOf(sender);
    if (deviceId === 'none') return `no device is called “${sender}”`;
    if (deviceId === 'several') return `several devices are called “${sender}”`;
    const count = channelCount(this.plan, deviceId, 'send');
    const number = /^(?:out )?(\d{1,5})$/.exec(channel)?.[1];
    if (number !== undefined) {
      const n = Number(number);
      if (n >= 1 && n <= count) return { deviceId, channel: n };
      return count === 0 ? `“${sender}” sends nothing` : `“${sender}” sends channels 1 to ${count}, not ${channel}`;
    }
    const like = this.labelled(channel).filter((s) => s.deviceId === deviceId);
    if (like.length === 1) return like[0] as SenderChannel;
    return like.length === 0
      ? `“${sender}” has no channel labelled “${channel}”`
      : `“${sender}” has several channels labelled “${channel}”`;
  }

  private labelled(label: string): readonly SenderChannel[] {
    this.byLabel ??= sendersByLabel(this.plan, this.plan.labels.keys());
    return this.byLabel.get(likeLabel(label)) ?? [];
  }
}
