import { labelledCount, modelOf, type PlanOf } from '../plan/plan';
import { LABEL_MAX, type ChannelLabel, type Side } from '../plan/labels-table';
import type { LabelChange } from '../plan/commands';

/** How long labels may be on a device, in characters; `shortMax` is null where it has no short ones. */
interface LabelLimits {
  readonly labelMax: number;
  readonly shortMax: number | null;
}

export function labelLimits(plan: PlanOf<'models' | 'devices'>, deviceId: string): LabelLimits {
  const naming = modelOf(plan, deviceId)?.naming ?? null;
  return naming === null
    ? { labelMax: LABEL_MAX, shortMax: LABEL_MAX }
    : { labelMax: naming.labelMax, shortMax: naming.shortMax };
}

const lengthOf = (text: string) => [...text].length;

/**
 * A label in at most `max` characters that a person still reads: what fits stays; else vowels within words go from the end on, then
 * the ends of the longest words. A number at the end is what tells a run apart, so it stays.
 */
export function shortened(label: string, max: number): string {
  const text = label.trim().replace(/\s+/g, ' ');
  if (lengthOf(text) <= max) return text;
  const number = /\s*\d+$/.exec(text)?.[0].trim() ?? '';
  if (number !== '' && number.length >= max) return number.slice(-max);
  const stem = number === '' ? text : text.slice(0, text.length - /\s*\d+$/.exec(text)![0].length);
  const words = stem
    .split(/[\s_.,/-]+/)
    .filter(Boolean)
    .map((w) => [...w]);
  const room = max - number.length;
  const size = () => words.reduce((sum, w) => sum + w.length, 0);
  // From the last letter to the first, but never the first of a word.
  for (let w = words.length - 1; w >= 0 && size() > room; w -= 1) {
    const word = words[w] as string[];
    for (let at = word.length - 1; at > 0 && size() > room; at -= 1) {
      if (/[aeiouyäöüáéíóúàèìòù]/i.test(word[at] as string)) word.splice(at, 1);
    }
  }
  while (size() > room) {
    const longest = words.reduce((a, b) => (b.length >= a.length ? b : a));
    longest.pop();
    if (longest.length === 0) words.splice(words.indexOf(longest), 1);
  }
  // Words are told apart by their capitals once the spaces are gone.
  return (
    words.map(([first = '', ...rest], n) => [n === 0 ? first : capital(first), ...rest].join('')).join('') + number
  );
}

/** The capital of a letter; a letter whose capital takes more than one character, as that of ß, stays as it is. */
function capital(letter: string): string {
  const upper = letter.toUpperCase();
  return lengthOf(upper) === 1 ? upper : letter;
}

/** As `shortened`, with the last characters counted where others are called so already. */
export function shortenedApart(label: string, max: number, taken: ReadonlySet<string>): string {
  const first = shortened(label, max);
  if (!taken.has(first)) return first;
  for (let n = 2; n < 10_000; n += 1) {
    const number = String(n);
    if (number.length >= max) break;
    const next = shortened(label.replace(/\s*\d+$/, ''), max - number.length) + number;
    if (!taken.has(next)) return next;
  }
  return first;
}

function labelsOf(plan: PlanOf<'models' | 'devices' | 'labels'>, deviceId: string, side: Side): ChannelLabel[] {
  const count = labelledCount(plan, deviceId, side);
  return [...(plan.labels.get(deviceId)?.values() ?? [])]
    .filter((l) => l.side === side && l.channel <= count)
    .sort((a, b) => a.channel - b.channel);
}

/** Short labels for channels whose label is too long to stand as one, and that have none yet, each unlike the others. */
export function proposeShortLabels(
  plan: PlanOf<'models' | 'devices' | 'labels'>,
  deviceId: string,
  side: Side,
): LabelChange[] {
  const { shortMax } = labelLimits(plan, deviceId);
  if (shortMax === null) return [];
  const labels = labelsOf(plan, deviceId, side);
  const taken = new Set(labels.flatMap((l) => (l.short === null ? [] : [l.short])));
  for (const l of labels) if (l.short === null && lengthOf(l.label) <= shortMax) taken.add(l.label);
  return labels.flatMap(({ channel, label, short }) => {
    if (short !== null || lengthOf(label) <= shortMax) return [];
    const made = shortenedApart(label, shortMax, taken);
    taken.add(made);
    return [{ channel, label, short: made }];
  });
}

/** Labels that are longer than the device holds, by which of the two they are. */
interface LongLabels {
  readonly side: Side;
  readonly isShort: boolean;
  readonly limit: number;
  readonly channels: readonly number[];
}

export function longLabels(plan: PlanOf<'models' | 'devices' | 'labels'>, deviceId: string): LongLabels[] {
  if ((modelOf(plan, deviceId)?.naming ?? null) === null) return [];
  const { labelMax, shortMax } = labelLimits(plan, deviceId);
  return (['receive', 'send'] as const).flatMap((side) => {
    const labels = labelsOf(plan, deviceId, side);
    const long = labels.filter((l) => lengthOf(l.label) > labelMax).map((l) => l.channel);
    const longShort =
      shortMax === null
        ? []
        : labels.filter((l) => l.short !== null && lengthOf(l.short) > shortMax).map((l) => l.channel);
    return [
      ...(long.length > 0 ? [{ side, isShort: false, limit: labelMax, channels: long }] : []),
      ...(longShort.length > 0 ? [{ side, isShort: true, limit: shortMax ?? 0, channels: longShort }] : []),
    ];
  });
}

/** Those labels in as many characters as there is room for. */
export function shortenLabels(
  plan: PlanOf<'models' | 'devices' | 'labels'>,
  deviceId: string,
  long: LongLabels,
): LabelChange[] {
  const { side, isShort, limit, channels } = long;
  const labels = labelsOf(plan, deviceId, side);
  const textOf = (l: ChannelLabel) => (isShort ? (l.short ?? '') : l.label);
  const taken = new Set(labels.filter((l) => !channels.includes(l.channel)).map(textOf));
  return labels
    .filter((l) => channels.includes(l.channel))
    .map((l) => {
      const made = shortenedApart(textOf(l), limit, taken);
      taken.add(made);
      return isShort ? { channel: l.channel, label: l.label, short: made } : { channel: l.channel, label: made };
    });
}
