import { NOBODY, nodeIn, type DevicePart } from './device-part';
import { isSource, type PluggedIn } from './plugged-in-table';
import { isInsideKnown } from './terminals';
import { onceFor } from '../plan/once-for';

/** What of a device is the same wherever it stands: where sound comes in, what gives and what takes it. */

// Devices of one model that nobody has patched share what their parts are made of, and so what follows from it.
const insOfTerminals = onceFor((terminals: DevicePart['terminals']): Int32Array => {
  const nodes: number[] = [];
  let first = 0;
  for (const { direction, channels } of terminals) {
    if (direction === 'in') for (let c = 0; c < channels; c += 1) nodes.push(first + c);
    first += channels;
  }
  return Int32Array.from(nodes);
});

/** The nodes at which sound comes into a device. */
export const insOf = ({ terminals }: DevicePart): Int32Array => insOfTerminals(terminals);

/** What of a device's channels never changes while its part and what is plugged in stay. */
export interface Ends {
  readonly sources: Uint8Array;
  readonly sinks: Uint8Array;
}

interface Inside {
  readonly effects: Uint8Array;
  readonly isAnyEffect: boolean;
  /** What is a source or a sink whatever is plugged in. */
  readonly ends: Ends;
  readonly isAnyEnd: boolean;
}

const insideByFeeders = new WeakMap<Int32Array, Inside>();

export function insideOf(part: DevicePart): Inside {
  const known = insideByFeeders.get(part.feeders);
  if (known !== undefined) return known;
  const { size, terminals, firstNode } = part;
  const effects = new Uint8Array(size);
  const sources = new Uint8Array(size);
  const sinks = new Uint8Array(size);
  const isKnown = isInsideKnown(part.model);
  for (const [n, t] of terminals.entries()) {
    const first = firstNode[n] as number;
    const end = first + t.channels;
    if (t.isEffect) effects.fill(1, first, end);
    if (t.kind === 'computer') {
      if (t.direction === 'in') sources.fill(1, first, end);
      if (t.direction === 'out') sinks.fill(1, first, end);
    }
    // Of a unit of which nothing is known but that it passes, only what is not passed is a source.
    else if (!isKnown && t.direction === 'out') sources.fill(1, first + t.normalledChannels, end);
    else if (!isKnown && t.direction === 'in') sinks.fill(1, first, end);
  }
  const isAnyEffect = effects.includes(1);
  const isAnyEnd = sources.includes(1) || sinks.includes(1);
  const inside = { effects, isAnyEffect, ends: { sources, sinks }, isAnyEnd };
  insideByFeeders.set(part.feeders, inside);
  return inside;
}

/** Marks its sources and sinks in lists for all devices, from its first node on. */
export function markEnds(
  part: DevicePart,
  plugged: ReadonlyMap<string, PluggedIn> | undefined,
  first: number,
  { sources, sinks }: Ends,
): void {
  const { ends: fixed, isAnyEnd } = insideOf(part);
  if (isAnyEnd) {
    sources.set(fixed.sources, first);
    sinks.set(fixed.sinks, first);
  }
  if (plugged === undefined) return;
  for (const { kind, terminalId, channel } of plugged.values()) {
    const node = nodeIn(part, terminalId, channel);
    if (node !== NOBODY) (isSource(kind) ? sources : sinks)[first + node] = 1;
  }
}
