import type { PlanOf } from '../plan/plan';
import { cablesInto } from './cabled';
import { channelAt, feedersOf, type SignalGraph } from './graph';
import type { SignalEnd } from './signal-end';
import { endsFirst } from './walk';
import type { LevelFacts } from './terminal-shape';
import { isInsideKnown } from './terminals';

/** The tables that levels follow from, beside the graph. */
export type LevelTables = PlanOf<'pluggedIn' | 'channelSettings' | 'busSends' | 'audioCables'>;

/** The level of a channel: at its socket in dBu, inside the device in dB below full scale. Null: not known, or there is none. */
export interface SignalLevel {
  readonly dbu: number | null;
  readonly dbfs: number | null;
  /** Where several sounds are mixed: by so much it is higher if they are alike, as their voltages add then and not their powers. */
  readonly alikeDb: number;
  /** Something of unknown level is mixed in. */
  readonly isAtLeast: boolean;
}

const UNKNOWN: SignalLevel = { dbu: null, dbfs: null, alikeDb: 0, isAtLeast: true };
const SILENCE: SignalLevel = { dbu: null, dbfs: null, alikeDb: 0, isAtLeast: false };

const keyOf = ({ terminalId, channel }: Omit<SignalEnd, 'deviceId'>) => `${terminalId}/${channel}`;

export const pluggedAt = ({ pluggedIn }: PlanOf<'pluggedIn'>, end: SignalEnd) =>
  pluggedIn.get(end.deviceId)?.get(keyOf(end));

export const settingsAt = ({ channelSettings }: PlanOf<'channelSettings'>, end: SignalEnd) =>
  channelSettings.get(end.deviceId)?.get(keyOf(end));

/** What gain and pad of an input add together. */
export function inputGainDb(tables: PlanOf<'channelSettings'>, end: SignalEnd, level: LevelFacts): number {
  const settings = settingsAt(tables, end);
  const gain = settings?.gainDb ?? Math.max(0, level.gainMinDb ?? 0);
  return gain - (settings?.hasPad === true ? (level.padDb ?? 0) : 0);
}

/** What an attenuator in the cable to a socket takes away. */
export function attenuationInto(tables: PlanOf<'pluggedIn' | 'audioCables'>, end: SignalEnd): number {
  const [cable] = cablesInto(tables, end);
  return (cable ?? pluggedAt(tables, end))?.attenuationDb ?? 0;
}

/** Whether to go by what a source usually gives, or by the most that it gives. */
type LevelOf = 'usual' | 'most';

/**
 * The level of a channel, followed back to its sources: dBu at the socket, plus gain, less pad, less the level that is full scale, is dBFS; an
 * output adds its own full scale. Of unlike sounds that are mixed the powers add (two of -20 dBFS are -16.99), of alike ones the voltages
 * (-13.98): both are given. Memory is one entry for each channel asked for.
 */
export function levelsOf(
  graph: SignalGraph,
  tables: LevelTables,
  of: LevelOf = 'usual',
): (node: number) => SignalLevel {
  const known = new Map<number, SignalLevel>();
  const atInput = (node: number, from: SignalLevel | null): SignalLevel => {
    const { terminal, ...end } = channelAt(graph, node);
    const { level } = terminal;
    const plugged = pluggedAt(tables, end);
    if (from === null && plugged === undefined) return terminal.kind === 'computer' ? UNKNOWN : SILENCE;
    const given = from === null ? ((of === 'usual' ? plugged?.levelDbu : plugged?.maxLevelDbu) ?? null) : from.dbu;
    const { alikeDb, isAtLeast } = from ?? SILENCE;
    const dbu = given === null ? null : tidy(given - attenuationInto(tables, end));
    if (level === null) {
      if (from !== null) return { ...from, dbu: null };
      return dbu === null ? UNKNOWN : { ...UNKNOWN, dbu };
    }
    if (dbu === null) return from !== null && !isAtLeast ? SILENCE : UNKNOWN;
    const full = level.fullScaleDbu;
    const dbfs = full === null ? null : tidy(dbu + inputGainDb(tables, end, level) - full);
    return { dbu, dbfs, alikeDb, isAtLeast: isAtLeast || dbfs === null };
  };
  const mixed = (node: number, feeders: ArrayLike<number>): SignalLevel => {
    const at = channelAt(graph, node);
    const { terminal } = at;
    const full = terminal.level?.fullScaleDbu ?? null;
    let [power, voltage] = [0, 0];
    let isAtLeast = false;
    for (let n = 0; n < feeders.length; n += 1) {
      const from = feeders[n] as number;
      const own = known.get(from) ?? UNKNOWN;
      isAtLeast ||= own.isAtLeast;
      if (own.dbfs === null) continue;
      const sent = own.dbfs + sendDb(tables, channelAt(graph, from), at);
      power += 10 ** (sent / 10);
      voltage += 10 ** ((sent + own.alikeDb) / 20);
    }
    if (power === 0) return isAtLeast ? UNKNOWN : SILENCE;
    const dbfs = tidy(10 * Math.log10(power));
    const alikeDb = tidy(20 * Math.log10(voltage) - dbfs);
    return { dbu: full === null || terminal.level === null ? null : tidy(dbfs + full), dbfs, alikeDb, isAtLeast };
  };
  const worked = (node: number, feeders: ArrayLike<number>): SignalLevel => {
    const { terminal, deviceId } = channelAt(graph, node);
    if (terminal.direction === 'in')
      return atInput(node, feeders.length === 0 ? null : (known.get(feeders[0] as number) ?? UNKNOWN));
    if (feeders.length > 0) return mixed(node, feeders);
    const model = graph.parts.get(deviceId)?.model;
    return model !== undefined && isInsideKnown(model) ? SILENCE : UNKNOWN;
  };
  const unknownFeeders = (node: number) => (known.has(node) ? NO_NODES : feedersOf(graph, node));
  return (asked) => {
    // What feeds itself is not known to itself.
    for (const node of endsFirst(asked, unknownFeeders))
      if (!known.has(node)) known.set(node, worked(node, feedersOf(graph, node)));
    return known.get(asked) ?? UNKNOWN;
  };
}

const NO_NODES: readonly number[] = [];

/** Sums of decibels without the dust of binary fractions. */
const tidy = (value: number) => Math.round(value * 1e6) / 1e6;

/** What a send to a bus adds; 0 for anything else. */
export function sendDb({ busSends }: PlanOf<'busSends'>, from: SignalEnd, to: SignalEnd): number {
  if (to.deviceId !== from.deviceId) return 0;
  return busSends.get(to.deviceId)?.get(`${keyOf(to)}/${keyOf(from)}`)?.levelDb ?? 0;
}

/** Levels that work together: nominal levels no further apart than this. A figure of our own: a fader's usual headroom takes 6 dB. */
export const MISMATCH_DB = 6;
