import type { FormatRange } from '../streams/capability';
import { ENCODINGS, PACKET_TIMES_US, RATES_HZ, snapPacketTime, type PacketTimeUs } from '../streams/format';
import { isRaw, type Raw } from './raw';

/**
 * What a receiver says that it takes: the constraint sets of its caps (AMWA BCP-004-01). A constraint that is missing limits nothing;
 * what is not limited is trusted only as far as AES67 makes it mandatory: 48 kHz, 1 ms, eight channels.
 */

const FORMAT = 'urn:x-nmos:cap:format:';
const MANDATORY = { encodings: ['L24', 'L16'], ratesHz: [48_000], packetTimesUs: [1000], channelsMax: 8 } as const;
const CHANNELS_MAX = 120;

/** Ranges that every constraint set in force takes, those without an audio format that we know left out. Empty: not told. */
export function rangesOfCaps(caps: unknown): FormatRange[] {
  const sets = isRaw(caps) && Array.isArray(caps['constraint_sets']) ? (caps['constraint_sets'] as unknown[]) : [];
  return sets.slice(0, 32).flatMap((set) => {
    if (!isRaw(set) || set['urn:x-nmos:cap:meta:enabled'] === false) return [];
    const encodings = takenOf(set[`${FORMAT}media_type`], ENCODINGS, (e) => `audio/${e}`, MANDATORY.encodings);
    const ratesHz = takenOf(set[`${FORMAT}sample_rate`], RATES_HZ, (r) => r, MANDATORY.ratesHz);
    const packetTimesUs = takenOf(
      set['urn:x-nmos:cap:transport:packet_time'],
      PACKET_TIMES_US,
      (t) => t,
      MANDATORY.packetTimesUs,
      packetTimeOf,
    );
    if (encodings.length === 0 || ratesHz.length === 0 || packetTimesUs.length === 0) return [];
    return [{ encodings, ratesHz, packetTimesUs, channelsMax: widestOf(set[`${FORMAT}channel_count`]) }];
  });
}

/** The most channels that any constraint set names; null: none does. */
export function channelsOfCaps(caps: unknown): number | null {
  const sets = isRaw(caps) && Array.isArray(caps['constraint_sets']) ? (caps['constraint_sets'] as unknown[]) : [];
  const counts = sets.flatMap((set) => {
    const count = isRaw(set) ? set[`${FORMAT}channel_count`] : undefined;
    return isRaw(count) && (Array.isArray(count['enum']) || 'maximum' in count) ? (mostOf(count) ?? []) : [];
  });
  return counts.length === 0 ? null : Math.max(...counts);
}

const widestOf = (constraint: unknown): number =>
  isRaw(constraint) ? Math.min(CHANNELS_MAX, mostOf(constraint) ?? MANDATORY.channelsMax) : MANDATORY.channelsMax;

function mostOf(count: Raw): number | null {
  const listed = Array.isArray(count['enum']) ? (count['enum'] as unknown[]) : [count['maximum']];
  const sound = listed.filter((n): n is number => Number.isInteger(n) && (n as number) > 0 && (n as number) <= 4096);
  return sound.length === 0 ? null : Math.max(...sound);
}

/** Those of our values that a constraint takes: listed, or between its bounds. */
function takenOf<T extends string | number>(
  constraint: unknown,
  of: readonly T[],
  tokenOf: (value: T) => string | number,
  where: readonly T[],
  read: (raw: unknown) => string | number | null = numberOf,
): readonly T[] {
  if (!isRaw(constraint)) return where;
  const listed = constraint['enum'];
  if (Array.isArray(listed)) {
    const tokens = new Set(listed.slice(0, 100).map((raw) => (typeof raw === 'string' ? raw : read(raw))));
    return of.filter((value) => tokens.has(tokenOf(value)));
  }
  const [from, to] = [numberOf(constraint['minimum']), numberOf(constraint['maximum'])];
  if (from === null && to === null) return where;
  // Packet times are given in milliseconds.
  const scale = read === packetTimeOf ? 1000 : 1;
  return of.filter(
    (value) =>
      typeof value === 'number' &&
      (from === null || value >= Math.floor(from * scale)) &&
      (to === null || value <= Math.ceil(to * scale)),
  );
}

/** A number, or a fraction as NMOS writes it. */
function numberOf(raw: unknown): number | null {
  if (typeof raw === 'number') return Number.isFinite(raw) ? raw : null;
  if (!isRaw(raw)) return null;
  const value = Number(raw['numerator']) / Number(raw['denominator'] ?? 1);
  return Number.isFinite(value) ? value : null;
}

/** Milliseconds as devices write them (0.12 and 0.125, 0.33), as the packet time that is meant. */
function packetTimeOf(raw: unknown): PacketTimeUs | null {
  const wanted = numberOf(raw);
  return wanted === null ? null : snapPacketTime(wanted, 48_000);
}

/** Each range once, in the order in which they came. */
export function distinctRanges(ranges: readonly FormatRange[]): FormatRange[] {
  return [...new Map(ranges.map((r) => [JSON.stringify(r), r])).values()];
}
