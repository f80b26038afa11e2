import type { DevicePatchRow } from '../formats/device-patch-list';
import { Names } from '../formats/names';
import { shapeProblem } from '../formats/shape-check';
import { SOCKET_FIELDS, type SocketColumn, type SocketRow } from '../formats/socket-list';
import { readDecimal } from '../formats/table';
import type { AnyRecord } from '../plan/changes';
import type { Command } from '../plan/commands';
import { modelOf, type Plan } from '../plan/plan';
import { sameValue } from '../plan/same-value';
import { declarationOf, type TableName } from '../plan/tables';
import type { BusSend } from '../patch/bus-sends-table';
import type { Patch } from '../patch/patches-table';
import { feedsItself } from '../patch/rings';
import { PLAIN_CHANNEL, type ChannelSettings } from '../signal/channel-settings-table';
import { PLAIN_PLUGGED, type PluggedIn } from '../signal/plugged-in-table';
import { TAPS, type Tap } from '../signal/terminal-shape';
import { labelSide } from '../signal/channel-names';
import { terminalsOf, type Terminal } from '../signal/terminals';

/** One line of a list, held against the plan. */
export interface SignalItem {
  readonly line: number;
  /** Device, terminal and number, as far as they could be read. */
  readonly where: string;
  readonly verdict: 'differs' | 'same' | 'refused';
  readonly changes: readonly { readonly what: string; readonly before: string; readonly after: string }[];
  readonly problem: string | null;
  readonly commands: readonly Command[];
}

class Refused extends Error {}

const like = (a: string, b: string) => a.trim().toLowerCase() === b.trim().toLowerCase();
const said = (text: string | null): string | null => (text === null || text.trim() === '' ? null : text.trim());

interface TerminalChannel {
  readonly deviceId: string;
  readonly terminal: Terminal;
  readonly channel: number;
}

/** What a word names; where it names nothing, or several things, the line is refused. */
function named(names: Names, text: string, what: string): string {
  const id = names.idOf(text);
  if (id === 'none') throw new Refused(`no ${what} is called “${text}”`);
  if (id === 'several') throw new Refused(`several ${what}s are called “${text}”: use its id`);
  return id;
}

/** Finds the channels of a plan as its lists name them. */
class ChannelFinder {
  private readonly devices: Names;

  constructor(private readonly plan: Plan) {
    this.devices = new Names(plan.devices.values());
  }

  place(device: string | null, terminal: string | null, number: string | null): TerminalChannel {
    if (device === null) throw new Refused('no device is named');
    const deviceId = named(this.devices, device, 'device');
    return { deviceId, ...this.within(deviceId, terminal, number) };
  }

  terminalsOf(deviceId: string): readonly Terminal[] {
    const model = modelOf(this.plan, deviceId);
    return model ? terminalsOf(model) : [];
  }

  within(deviceId: string, name: string | null, number: string | null): Omit<TerminalChannel, 'deviceId'> {
    const terminals = this.terminalsOf(deviceId);
    if (name === null) throw new Refused('no terminal is named');
    const id = new Names(terminals).idOf(name);
    const terminal = terminals.find((t) => t.id === id);
    if (terminal === undefined) {
      const has = terminals.length === 0 ? 'none' : terminals.map((t) => t.name).join(', ');
      const device = this.plan.devices.get(deviceId)?.name ?? deviceId;
      const lacks = id === 'several' ? `has several terminals “${name}”` : `has no terminal “${name}”`;
      throw new Refused(`${device} ${lacks}; it has ${has}`);
    }
    const printed = Number(number ?? '');
    const channel = printed - terminal.countsFrom + 1;
    if (number === null || !Number.isInteger(printed) || channel < 1 || channel > terminal.channels) {
      const last = terminal.countsFrom + terminal.channels - 1;
      throw new Refused(
        `${terminal.name} has no channel “${number ?? ''}”; they are ${terminal.countsFrom} to ${last}`,
      );
    }
    return { terminal, channel };
  }
}

/** What is wrong with a record, by its shape and by what it has to fit. */
function check(plan: Plan, table: TableName, record: object): void {
  const { shape, fits, problem: own, putProblem } = declarationOf(table);
  const wrong = shapeProblem(shape, structuredClone(record));
  if (wrong !== null) throw new Refused(`${wrong.at.replace(/^\//, '')} ${wrong.problem}`);
  const problem =
    own?.(record as AnyRecord) ??
    putProblem?.(record as AnyRecord, plan) ??
    fits?.problem(record as AnyRecord, plan as never);
  if (problem)
    throw new Refused(
      `${problem.path} “${problem.value}” does not fit${problem.limit === undefined ? '' : `: ${problem.limit}`}`,
    );
}

function each<Row extends { readonly line: number }>(
  rows: readonly Row[],
  work: (row: Row) => Omit<SignalItem, 'line' | 'verdict' | 'problem'> & { readonly key: string },
  whereOf: (row: Row) => string,
): SignalItem[] {
  const seen = new Map<string, number>();
  return rows.map((row): SignalItem => {
    try {
      const { key, ...item } = work(row);
      const before = seen.get(key);
      if (before !== undefined) throw new Refused(`line ${before} has it already`);
      seen.set(key, row.line);
      return { line: row.line, verdict: item.commands.length > 0 ? 'differs' : 'same', problem: null, ...item };
    } catch (error) {
      if (!(error instanceof Refused)) throw error;
      return {
        line: row.line,
        where: whereOf(row),
        verdict: 'refused',
        changes: [],
        problem: error.message,
        commands: [],
      };
    }
  });
}

/** Holds the lines of a socket list against the plan. Lines that cannot be are named with their reason and change nothing. */
export function importSockets(plan: Plan, rows: readonly SocketRow[]): SignalItem[] {
  const devices = new ChannelFinder(plan);
  const places = new Names(plan.places.values());
  return each(
    rows,
    ({ fields }) => {
      const { deviceId, terminal, channel } = devices.place(
        said(fields.device),
        said(fields.terminal),
        said(fields.channel),
      );
      const end = { deviceId, terminalId: terminal.id, channel };
      const key = `${terminal.id}/${channel}`;
      const pluggedNow = plan.pluggedIn.get(deviceId)?.get(key);
      const settingsNow = plan.channelSettings.get(deviceId)?.get(key);
      const plugged: Record<string, unknown> = { ...(pluggedNow ?? { ...PLAIN_PLUGGED, ...end }) };
      const settings: Record<string, unknown> = { ...(settingsNow ?? { ...PLAIN_CHANNEL, ...end }) };
      const told = { plugged: false, settings: false };
      for (const [column, field] of Object.entries(SOCKET_FIELDS) as [
        SocketColumn,
        NonNullable<(typeof SOCKET_FIELDS)['name']>,
      ][]) {
        // Text is taken as it stands.
        const text = field.isText ? fields[column] : said(fields[column]);
        if (text === null || text === '') continue;
        const value = field.read(text);
        if (value === undefined) throw new Refused(`${column}: “${text}” cannot be read`);
        (field.of === 'plugged' ? plugged : settings)[field.key] = value;
        told[field.of] = true;
      }
      const place = said(fields.place);
      if (place !== null) {
        plugged['placeId'] = named(places, place, 'place');
        told.plugged = true;
      }
      const axes = (['x', 'y', 'z'] as const).map((axis) => said(fields[axis]));
      if (axes.some((a) => a !== null)) {
        const [x, y, z] = axes.map((a) => (a === null ? null : readDecimal(a)));
        if (x == null || y == null || z == null) throw new Refused('a position has three numbers: x, y and z');
        plugged['position'] = { x, y, z };
        told.plugged = true;
      }
      const commands: Command[] = [];
      const changes: SignalItem['changes'][number][] = [];
      if (told.plugged) {
        if (plugged['name'] === undefined) throw new Refused('what is plugged in has no name');
        plugged['kind'] ??=
          terminal.direction === 'out' ? 'loudspeaker' : terminal.kind === 'radio' ? 'radio-pack' : 'microphone';
        check(plan, 'pluggedIn', plugged);
        if (!sameValue(plugged, pluggedNow)) {
          commands.push({ kind: 'put-plugged-in', plugged: plugged as unknown as PluggedIn });
          changes.push(...differences(pluggedNow, plugged));
        }
      }
      if (told.settings) {
        if (settings['label'] !== null && labelSide(terminal.id) !== null) {
          throw new Refused('labels of network channels are in the patch list');
        }
        check(plan, 'channelSettings', settings);
        if (!sameValue(settings, settingsNow)) {
          commands.push({ kind: 'put-channel-settings', settings: settings as unknown as ChannelSettings });
          changes.push(...differences(settingsNow, settings));
        }
      }
      return { key: `${deviceId}/${key}`, where: whereOf(plan, deviceId, terminal, channel), changes, commands };
    },
    ({ fields }) => [fields.device, fields.terminal, fields.channel].filter((f) => f).join(', '),
  );
}

function whereOf(plan: Plan, deviceId: string, terminal: Terminal, channel: number): string {
  return `${plan.devices.get(deviceId)?.name ?? deviceId}, ${terminal.name} ${channel + terminal.countsFrom - 1}`;
}

const shown = (value: unknown): string =>
  value === null || value === undefined
    ? ''
    : typeof value === 'object'
      ? Object.values(value).join(' ')
      : String(value);

function differences(
  before: object | undefined,
  after: Readonly<Record<string, unknown>>,
): SignalItem['changes'][number][] {
  const was = (before ?? {}) as Readonly<Record<string, unknown>>;
  return Object.keys(after)
    .filter(
      (key) => !['deviceId', 'terminalId', 'channel'].includes(key) && !sameValue(was[key] ?? null, after[key] ?? null),
    )
    .map((what) => ({ what, before: shown(was[what]), after: shown(after[what]) }));
}

/** Holds the lines of a list of device patches against the plan. */
export function importDevicePatches(plan: Plan, rows: readonly DevicePatchRow[]): SignalItem[] {
  const devices = new ChannelFinder(plan);
  // What earlier lines patch.
  const taken = new Map<string, Patch>();
  return each(
    rows,
    ({ fields }) => {
      const { deviceId, terminal, channel } = devices.place(
        said(fields.device),
        said(fields.output),
        said(fields.number),
      );
      const where = whereOf(plan, deviceId, terminal, channel);
      const key = `${deviceId}/${terminal.id}/${channel}`;
      const fromName = said(fields.from);
      const from = fromName === null ? null : devices.within(deviceId, fromName, said(fields['from number']));
      const tapText = said(fields.tap);
      const tap: Tap | null =
        tapText === null
          ? null
          : (TAPS.find((t) => like(t, tapText)) ?? refuse(`“${tapText}” is not a tap; they are ${TAPS.join(', ')}`));
      const send = said(fields.send);
      const end = { deviceId, terminalId: terminal.id, channel };
      const nameOfFrom =
        from === null ? 'nothing' : `${from.terminal.name} ${from.channel + from.terminal.countsFrom - 1}`;
      if (send === null) {
        const patch: Patch = {
          ...end,
          from: from === null ? null : { terminalId: from.terminal.id, channel: from.channel },
          tap,
        };
        check(plan, 'patches', patch);
        const patchAt = (id: string, n: number) =>
          taken.get(`${deviceId}/${id}/${n}`) ?? plan.patches.get(deviceId)?.get(`${id}/${n}`);
        if (feedsItself(devices.terminalsOf(deviceId), patchAt, patch))
          throw new Refused('it would feed itself: a loop');
        taken.set(key, patch);
        const now = plan.patches.get(deviceId)?.get(`${terminal.id}/${channel}`);
        if (sameValue(patch, now)) return { key, where, changes: [], commands: [] };
        return {
          key,
          where,
          changes: [{ what: 'from', before: shown(now?.from), after: nameOfFrom }],
          commands: [{ kind: 'put-patch', patch }],
        };
      }
      if (from === null) throw new Refused('a send needs a source');
      if (!/^(on|off)$/i.test(send)) throw new Refused(`send: “${send}” is neither on nor off`);
      const levelText = said(fields['send level']);
      const levelDb = levelText === null ? null : readDecimal(levelText);
      if (levelText !== null && levelDb === null) throw new Refused(`send level: “${levelText}” is not a number`);
      const put: BusSend = {
        ...end,
        fromTerminalId: from.terminal.id,
        fromChannel: from.channel,
        tap,
        isOn: like(send, 'on'),
        levelDb,
      };
      check(plan, 'busSends', put);
      const now = plan.busSends.get(deviceId)?.get(`${terminal.id}/${channel}/${from.terminal.id}/${from.channel}`);
      const whole = `${where} from ${nameOfFrom}`;
      const sendKey = `${key}/${from.terminal.id}/${from.channel}`;
      if (sameValue(put, now)) return { key: sendKey, where: whole, changes: [], commands: [] };
      return {
        key: sendKey,
        where: whole,
        changes: differences(now, { ...put }),
        commands: [{ kind: 'put-bus-send', send: put }],
      };
    },
    ({ fields }) => [fields.device, fields.output, fields.number].filter((f) => f).join(', '),
  );
}

function refuse(problem: string): never {
  throw new Refused(problem);
}

export const commandsOfItems = (items: readonly SignalItem[]): Command[] => items.flatMap((i) => [...i.commands]);
