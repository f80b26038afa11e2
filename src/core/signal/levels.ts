import type { PlanOf } from '../plan/plan';
import { cablesInto } from './cabled';
import { channelAt, feedersOf, type SignalGraph } from './graph';
import type { SignalEnd } from './signal-end';
import type { LevelFacts } from './terminal-shape';

/** The tables that levels follow from, beside the graph. */
export type LevelTables = PlanOf<'pluggedIn' | 'channelSettings' | 'busSends' | 'audioCables'>;

/** The level of a channel: at its socket in dBu, inside the device in dB below full scale. Null: not known, or there is none. */
export interface SignalLevel {
  readonly dbu: number | null;
  readonly dbfs: number | null;
}

const UNKNOWN: SignalLevel = { dbu: null, dbfs: null };

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
function attenuationInto(tables: PlanOf<'pluggedIn' | 'audioCables'>, end: SignalEnd): number {
  const [cable] = cablesInto(tables, end);
  return (cable ?? pluggedAt(tables, end))?.attenuationDb ?? 0;
}

/** Whether to go by what a source usually gives, or by the most that it gives. */
export type LevelOf = 'usual' | 'most';

/**
 * The level of a channel, followed back to its source: dBu at the socket, plus gain, less pad, less the level that is full scale, is dBFS; an
 * output adds its own full scale. Where several sounds are mixed the level is not known. Memory is one entry for each channel asked for.
 */
export function levelsOf(
  graph: SignalGraph,
  tables: LevelTables,
  of: LevelOf = 'usual',
): (node: number) => SignalLevel {
  const known = new Map<number, SignalLevel>();
  const work = (node: number, from: SignalLevel, isFed: boolean, fromNode: number): SignalLevel => {
    const { terminal, ...end } = channelAt(graph, node);
    const { level } = terminal;
    const full = level?.fullScaleDbu ?? null;
    if (terminal.direction === 'in') {
      const plugged = pluggedAt(tables, end);
      const given = isFed ? from.dbu : ((of === 'usual' ? plugged?.levelDbu : plugged?.maxLevelDbu) ?? null);
      const dbu = given === null ? null : tidy(given - attenuationInto(tables, end));
      if (level === null) return isFed ? { dbu: null, dbfs: from.dbfs } : { dbu, dbfs: null };
      return { dbu, dbfs: dbu === null || full === null ? null : tidy(dbu + inputGainDb(tables, end, level) - full) };
    }
    const dbfs = from.dbfs === null ? null : tidy(from.dbfs + sentDb(graph, tables, node, fromNode));
    return { dbu: level === null || full === null || dbfs === null ? null : tidy(dbfs + full), dbfs };
  };
  return (asked) => {
    // Back to where the level is known, then forward again: no recursion, as a chain may be long.
    const path: number[] = [];
    let node = asked;
    const seen = new Set<number>();
    while (!known.has(node) && !seen.has(node)) {
      path.push(node);
      seen.add(node);
      const from = feedersOf(graph, node);
      if (from.length !== 1) break;
      node = from[0] as number;
    }
    for (const one of path.reverse()) {
      const from = feedersOf(graph, one);
      const before = from.length === 1 ? (known.get(from[0] as number) ?? UNKNOWN) : UNKNOWN;
      known.set(one, from.length > 1 ? UNKNOWN : work(one, before, from.length === 1, from[0] ?? -1));
    }
    return known.get(asked) ?? UNKNOWN;
  };
}

/** Sums of decibels without the dust of binary fractions. */
const tidy = (value: number) => Math.round(value * 1e6) / 1e6;

/** What a send to a bus adds; 0 for anything else. */
function sentDb(graph: SignalGraph, { busSends }: PlanOf<'busSends'>, node: number, fromNode: number): number {
  if (fromNode < 0) return 0;
  const bus = channelAt(graph, node);
  const from = channelAt(graph, fromNode);
  if (bus.deviceId !== from.deviceId) return 0;
  const key = `${keyOf(bus)}/${keyOf(from)}`;
  return busSends.get(bus.deviceId)?.get(key)?.levelDb ?? 0;
}

/** Levels that work together: nominal levels no further apart than this. A figure of our own: a fader's usual headroom takes 6 dB. */
export const MISMATCH_DB = 6;
