import type { LevelFacts } from './terminal-shape';

/**
 * What an amplifier's output gives into a load, in watts: its figure is for the smallest load that it takes, and the same voltage across a higher
 * one gives less (P = U²/R). Null: not known, or the load is lower than it takes.
 */
export function powerInto(
  { powerW, loadMinOhm }: Pick<LevelFacts, 'powerW' | 'loadMinOhm'>,
  ohm: number | null,
): number | null {
  if (powerW === null || loadMinOhm === null || ohm === null || ohm < loadMinOhm || ohm <= 0) return null;
  return (powerW * loadMinOhm) / ohm;
}

/** An amplifier may give so many times what a loudspeaker takes for long: 3 dB for the peaks of music and speech. */
export const POWER_HEADROOM = 2;
