import type { ClockAbility } from '../clocks/clock-ability';
import { STREAMS_MAX, type Model, type Switching } from './models-table';

/**
 * Figures of a model that nobody may know. They are null in the record, never a number; what has to be worked out all the same
 * uses what stands here, and a finding says so. Limits that are not known refuse nothing: they are cautions.
 */
export const ASSUMED = {
  /** Every AES67 receiver takes streams of one to eight channels. */
  channelsPerStreamMax: 8,
  /** The packet time asks for some by itself: AES67 receivers buffer at least three. */
  linkOffsetMinNs: 0,
  /** Several times what switches for media take on an idle port. */
  forwardingNs: 20_000,
  relockMs: 60_000,
  /** IEEE 802.3: the oscillator of any Ethernet port is within 100 parts per million. */
  freePpm: 100,
  /** Nothing is kept. */
  holdoverSeconds: 0,
} as const;

/** How many streams it may send or hear, as far as anyone knows. */
export const streamsMax = (streams: number | null | undefined): number =>
  streams === undefined ? 0 : (streams ?? STREAMS_MAX);

/** Whether devices of the model send or hear streams at all. */
export const hasStreams = (model: Model | null | undefined): boolean =>
  model !== null && model !== undefined && (model.streamsReceive !== 0 || model.streamsSend !== 0);

export type UnknownFigure =
  | keyof Pick<Model, 'streamsReceive' | 'streamsSend' | 'channelsPerStreamMax' | 'linkOffsetMinNs'>
  | keyof Pick<Switching, 'forwardingNs' | 'groupTableSize' | 'poeBudgetW'>
  | keyof Pick<ClockAbility, 'holdoverSeconds' | 'relockMs' | 'freePpm'>;

/** What of a model is not known, in the order in which it is set. */
export function unknownFiguresOf(model: Model): UnknownFigure[] {
  const unknown = <R extends object>(record: R | null, figures: readonly (keyof R & UnknownFigure)[]) =>
    record === null ? [] : figures.filter((figure) => record[figure] === null);
  return [
    ...unknown(model, ['streamsReceive', 'streamsSend', 'channelsPerStreamMax', 'linkOffsetMinNs']),
    ...unknown(model.switching, ['forwardingNs', 'groupTableSize', 'poeBudgetW']),
    ...unknown(model.clock, ['holdoverSeconds', 'relockMs', 'freePpm']),
  ];
}
