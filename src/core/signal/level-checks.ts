import { cablesInto } from './cabled';
import { inputGainDb, MISMATCH_DB, pluggedAt, settingsAt, type LevelTables } from './levels';
import type { PluggedIn, PluggedKind } from './plugged-in-table';
import { POWER_HEADROOM, powerInto } from './power';
import { terminalAt, type SignalEnd, type Terminals } from './signal-end';
import type { LevelFacts, SignalFormat } from './terminal-shape';

/** What is wrong at one analogue end, with its numbers. */
export type LevelMisfit =
  /** What comes in and what the socket is meant for are far apart. */
  | {
      readonly code: 'level-mismatch';
      readonly givesDbu: number;
      readonly wantsDbu: number;
      readonly differenceDb: number;
    }
  /** More comes in than is full scale. */
  | {
      readonly code: 'clips';
      readonly mostDbu: number;
      readonly gainDb: number;
      readonly fullScaleDbu: number;
      readonly overDb: number;
    }
  /** Far below full scale, though the gain could be higher. */
  | { readonly code: 'too-quiet'; readonly usualDbu: number; readonly gainDb: number; readonly dbfs: number }
  /** One sound that is sent to a bus is above full scale there by itself. */
  | {
      readonly code: 'bus-clips';
      readonly from: SignalEnd;
      readonly mostDbfs: number;
      readonly sendDb: number;
      readonly overDb: number;
    }
  | { readonly code: 'phantom-into-output' }
  /** Its own supply powers the microphone. */
  | { readonly code: 'phantom-unneeded' }
  | { readonly code: 'analogue-into-digital'; readonly format: SignalFormat }
  /** A loudspeaker without an amplifier of its own. */
  | { readonly code: 'loudspeaker-on-line'; readonly ohm: number }
  | { readonly code: 'no-powering' }
  | { readonly code: 'cable-too-long'; readonly metres: number; readonly metresMax: number }
  | { readonly code: 'load-too-low'; readonly ohm: number; readonly ohmMin: number }
  /** The amplifier gives far more than the loudspeaker takes for long. */
  | { readonly code: 'power-too-high'; readonly givesW: number; readonly takesW: number };

/** The tables that say what is wrong at an analogue end: no lane is among them. */
export type LevelCheckTables = LevelTables & Terminals;

type At = SignalEnd & { readonly level: LevelFacts };

const NOTHING: readonly LevelMisfit[] = [];

/** What gives an analogue signal, whoever makes it. */
const ANALOGUE: ReadonlySet<string> = new Set(['microphone', 'instrument'] satisfies PluggedKind[]);
const DIGITAL: ReadonlySet<string> = new Set(['AES3', 'MADI', 'ADAT', 'AES50', 'SDI', 'HDMI'] satisfies SignalFormat[]);
/** A usual level below this is hard to bring up without its noise: 40 dB under the -20 dBFS at which most work. A figure of our own. */
const QUIET_DBFS = -60;
/** Where a usual level is wanted. */
export const USUAL_DBFS = -20;
/** Loudspeakers that take power have fewer ohms than this; line inputs have thousands. */
const LOUDSPEAKER_OHM_MAX = 100;

/** Everything that is wrong at an analogue channel, with what is plugged in there. */
export function channelMisfits(
  plan: LevelCheckTables,
  end: SignalEnd,
  plugged: PluggedIn | undefined = pluggedAt(plan, end),
): readonly LevelMisfit[] {
  const { deviceId, terminalId, channel } = end;
  const terminal = terminalAt(plan, end);
  if (terminal === undefined) return NOTHING;
  const format = settingsAt(plan, end)?.format ?? terminal.formats[0];
  if (plugged !== undefined && ANALOGUE.has(plugged.kind) && format !== undefined && DIGITAL.has(format))
    return [{ code: 'analogue-into-digital', format }];
  if (terminal.level === null) return NOTHING;
  const at = { deviceId, terminalId, channel, level: terminal.level };
  if (terminal.direction === 'in') return inputMisfits(plan, at, plugged);
  return terminal.direction === 'out' ? outputMisfits(at, plugged, format) : NOTHING;
}

const less = (level: number | null, lostDb: number) => (level === null ? null : level - lostDb);

function mismatch(givesDbu: number | null, wantsDbu: number | null): LevelMisfit[] {
  if (givesDbu === null || wantsDbu === null) return [];
  const differenceDb = givesDbu - wantsDbu;
  return Math.abs(differenceDb) < MISMATCH_DB ? [] : [{ code: 'level-mismatch', givesDbu, wantsDbu, differenceDb }];
}

/** Whether an input has a gain that fits it to what comes in: then a nominal level says nothing. */
const hasGain = ({ gainMinDb, gainMaxDb }: LevelFacts) =>
  gainMinDb !== null && gainMaxDb !== null && gainMaxDb > gainMinDb;

function inputMisfits(plan: LevelCheckTables, at: At, plugged: PluggedIn | undefined): LevelMisfit[] {
  const facts = at.level;
  const found: LevelMisfit[] = [];
  const [cabled] = cablesInto(plan, at);
  const out = cabled === undefined ? null : (terminalAt(plan, cabled.from)?.level ?? null);
  const hasPhantom = settingsAt(plan, at)?.hasPhantom === true;
  if (plugged?.powering === 'phantom' && !hasPhantom) found.push({ code: 'no-powering' });
  const isOutput = cabled !== undefined || plugged?.kind === 'line-source' || plugged?.kind === 'player';
  if (hasPhantom && isOutput) found.push({ code: 'phantom-into-output' });
  if (hasPhantom && !isOutput && plugged?.powering === 'own') found.push({ code: 'phantom-unneeded' });
  const lost = (cabled ?? plugged)?.attenuationDb ?? 0;
  const most = less(out?.fullScaleDbu ?? plugged?.maxLevelDbu ?? null, lost);
  const gainDb = inputGainDb(plan, at, facts);
  if (most !== null && facts.fullScaleDbu !== null) {
    const overDb = most + gainDb - facts.fullScaleDbu;
    if (overDb > 0) found.push({ code: 'clips', mostDbu: most, gainDb, fullScaleDbu: facts.fullScaleDbu, overDb });
  }
  const usual = less(out?.nominalDbu ?? plugged?.levelDbu ?? null, lost);
  if (!hasGain(facts)) found.push(...mismatch(usual, facts.nominalDbu));
  else if (usual !== null && facts.fullScaleDbu !== null) {
    const dbfs = usual + gainDb - facts.fullScaleDbu;
    if (dbfs < QUIET_DBFS && gainDb < (facts.gainMaxDb ?? 0))
      found.push({ code: 'too-quiet', usualDbu: usual, gainDb, dbfs });
  }
  return [...found, ...tooLong(plugged)];
}

function outputMisfits(at: At, plugged: PluggedIn | undefined, format: SignalFormat | undefined): LevelMisfit[] {
  const facts = at.level;
  if (plugged === undefined) return [];
  const found: LevelMisfit[] = [];
  const { impedanceOhm: ohm } = plugged;
  const isPassive = plugged.kind === 'loudspeaker' && ohm !== null && ohm < LOUDSPEAKER_OHM_MAX;
  const isAmplifier = facts.powerW !== null || facts.loadMinOhm !== null || format === 'loudspeaker';
  if (isPassive && !isAmplifier) found.push({ code: 'loudspeaker-on-line', ohm });
  if (facts.loadMinOhm !== null && ohm !== null && ohm < facts.loadMinOhm) {
    found.push({ code: 'load-too-low', ohm, ohmMin: facts.loadMinOhm });
  }
  const givesW = powerInto(facts, ohm);
  const { powerW: takesW } = plugged;
  if (givesW !== null && takesW !== null && givesW > POWER_HEADROOM * takesW) {
    found.push({ code: 'power-too-high', givesW, takesW });
  }
  return [
    ...found,
    ...mismatch(less(facts.nominalDbu, plugged.attenuationDb ?? 0), plugged.levelDbu),
    ...tooLong(plugged),
  ];
}

function tooLong(
  plugged: { readonly metres: number | null; readonly metresMax: number | null } | undefined,
): LevelMisfit[] {
  const { metres = null, metresMax = null } = plugged ?? {};
  return metres !== null && metresMax !== null && metres > metresMax
    ? [{ code: 'cable-too-long', metres, metresMax }]
    : [];
}
