import type { ChannelRange } from '@/core/models/models-table';
import { NOTHING } from '@/core/streams/stream';
import type { Unit } from '@/core/units/working';

/** Numbers with their units, as people of the trade read them. */

const groups = new Intl.NumberFormat('en-GB', { maximumFractionDigits: 3 });

export function plain(value: number): string {
  return groups.format(value);
}

/** 14 208 000 as `14.208 Mb/s`. */
export function bits(bitsPerSecond: number): string {
  if (bitsPerSecond >= 1e9) return `${Number((bitsPerSecond / 1e9).toFixed(4))} Gb/s`;
  if (bitsPerSecond >= 1e6) return `${Number((bitsPerSecond / 1e6).toFixed(3))} Mb/s`;
  return `${Number((bitsPerSecond / 1e3).toFixed(3))} kb/s`;
}

/** Nanoseconds as milliseconds, without the unit: for columns whose header names it. */
export function ms(ns: number, digits = 2): string {
  return (ns / 1e6).toFixed(digits);
}

export function time(ns: number): string {
  if (Math.abs(ns) >= 1e6) return `${(ns / 1e6).toFixed(3)} ms`;
  return `${(ns / 1e3).toFixed(1)} µs`;
}

export function kHz(rateHz: number): string {
  return String(rateHz / 1000);
}

export function packetTime(packetTimeUs: number): string {
  return packetTimeUs >= 1000 ? `${packetTimeUs / 1000} ms` : packetTimeUs === 333 ? '333⅓ µs' : `${packetTimeUs} µs`;
}

export function quantity(value: number, unit: Unit): string {
  switch (unit) {
    case 'bit/s':
      return bits(value);
    case 'ns':
      return time(value);
    case 'packet/s':
      return `${plain(value)} packets/s`;
    case 'B/sample':
      return `${value} B`;
    case 'sample':
      return `${value} samples`;
    default:
      return `${plain(value)} ${unit}`;
  }
}

/** Channels that follow one another: `1–8`. */
export const rangeWords = (range: ChannelRange | null): string =>
  range === null
    ? ''
    : range.channels === 1
      ? String(range.first)
      : `${range.first}–${range.first + range.channels - 1}`;

/** `1–8, 13, 14`. Channels come in ascending order; `nothing` stands for an empty position of a stream. */
export function channelRuns(channels: readonly number[]): string {
  const runs: string[] = [];
  for (let i = 0; i < channels.length;) {
    let j = i;
    while (j + 1 < channels.length && channels[j + 1] === (channels[j] as number) + 1) j += 1;
    if (channels[i] === NOTHING) {
      runs.push('nothing');
      i += 1;
      continue;
    }
    runs.push(
      j === i ? `${channels[i]}` : j === i + 1 ? `${channels[i]}, ${channels[j]}` : `${channels[i]}–${channels[j]}`,
    );
    i = j + 1;
  }
  return runs.join(', ');
}

/** How long ago, in the unit in which it is at least about one and a half; both in milliseconds since 1970. A clock that runs ahead makes it 0 s. */
export function age(at: number, now: number): string {
  const seconds = Math.max(0, Math.round((now - at) / 1000));
  if (seconds < 90) return `${seconds} s ago`;
  const minutes = Math.round(seconds / 60);
  if (minutes < 90) return `${minutes} min ago`;
  const hours = Math.round(minutes / 60);
  return hours < 36 ? `${hours} h ago` : `${count(Math.round(hours / 24), 'day')} ago`;
}

export const count = (n: number, one: string, many = `${one}s`) => `${n} ${n === 1 ? one : many}`;

/** A share as a percentage: three figures at most, so that 0.4 % and 92.6 % both tell something. */
export function percent(share: number): string {
  if (!Number.isFinite(share)) return 'more than all';
  const value = share * 100;
  return `${value >= 100 ? Math.round(value) : value >= 10 ? value.toFixed(1) : value.toFixed(2)} %`;
}

/** A moment as the clock showed it; with the day where it was not today. */
export function timeOfDay(at: number, now: number = Date.now()): string {
  const moment = new Date(at);
  const clock = moment.toLocaleTimeString('en-GB');
  return moment.toDateString() === new Date(now).toDateString()
    ? clock
    : `${moment.toLocaleDateString('en-GB', { day: 'numeric', month: 'short' })} ${clock}`;
}
