import type { Lane } from '../reckon/lane';
import { channelAt, fedBy, nodeOf, type SignalGraph } from './graph';
import { NOBODY } from './device-part';
import type { SignalEnd } from './signal-end';

/** What changes the bits of a sound on its way. */
export type BitChange =
  /** Gain, equaliser, mixing: what a strip or bus does. */
  | 'processing'
  | 'effect'
  /** 16 bits of 24. */
  | 'L16'
  | 'sample-rate-converter'
  /** Through a converter into the analogue world. */
  | 'analogue';

export interface BitTables {
  readonly devices: ReadonlyMap<string, { readonly modelId: string }>;
  readonly models: ReadonlyMap<string, { readonly clock: { readonly src: string } | null }>;
}

export interface BitBreak {
  readonly at: SignalEnd;
  readonly because: BitChange;
}

/** Where a sound is first changed on each of its ways, from a channel on. Cost: the channels that it reaches unchanged. */
export function bitBreaks(
  graph: SignalGraph,
  { devices, models }: BitTables,
  laneOf: (deviceId: string, channel: number) => Lane | undefined,
  start: SignalEnd,
): BitBreak[] {
  const first = nodeOf(graph, start);
  const breaks: BitBreak[] = [];
  if (first === NOBODY) return breaks;
  const seen = new Set([first]);
  const left = [...fedBy(graph, first)];
  for (let node = left.shift(); node !== undefined; node = left.shift()) {
    if (seen.has(node)) continue;
    seen.add(node);
    const { terminal, ...at } = channelAt(graph, node);
    let because: BitChange | null = null;
    if (terminal.isEffect) because = 'effect';
    else if (terminal.kind === 'strip' || terminal.kind === 'bus') because = 'processing';
    else if (terminal.level !== null) because = 'analogue';
    else if (terminal.kind === 'network' && terminal.direction === 'in') {
      const model = models.get(devices.get(at.deviceId)?.modelId ?? '');
      if (laneOf(at.deviceId, at.channel)?.hearing?.stream.format.encoding === 'L16') because = 'L16';
      else if (model?.clock?.src === 'inputs') because = 'sample-rate-converter';
    }
    if (because === null) left.push(...fedBy(graph, node));
    else breaks.push({ at, because });
  }
  return breaks;
}
