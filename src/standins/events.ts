import type { StandinSpec } from './fleet';

/** IS-07 v1.0 over REST: what a wireless receiver tells of its packs. */

export interface StandinEvent {
  /** What it tells, behind the channel as printed: `Radio 3 battery`. */
  readonly label: string;
  readonly channel: number;
  readonly kind: 'battery' | 'radio level';
  readonly eventType: string;
  readonly unit: string;
  readonly min: number;
  readonly max: number;
}

const KINDS = [
  { kind: 'battery', eventType: 'number/battery', unit: '%', min: 0, max: 100 },
  { kind: 'radio level', eventType: 'number/level', unit: 'dBm', min: -120, max: 0 },
] as const;

export const hasEvents = ({ radio = null }: StandinSpec): boolean => radio !== null;

export function eventsOf({ radio = null }: StandinSpec): readonly StandinEvent[] {
  if (radio === null) return [];
  return Array.from({ length: radio.channels }, (_, n) =>
    KINDS.map((of) => ({ ...of, channel: n + 1, label: `${radio.name} ${n + 1} ${of.kind}` })),
  ).flat();
}

/** What its packs tell until somebody sets it otherwise: no two alike. */
export function usualValue({ kind, channel }: StandinEvent): number {
  return kind === 'battery' ? 94 - 7 * channel : -52 - 3 * channel;
}
