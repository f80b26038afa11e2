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

interface BitTables {
  readonly devices: ReadonlyMap<string, { readonly modelId: string }>;
  readonly models: ReadonlyMap<string, { readonly clock: { readonly src: string } | null }>;
}

interface BitBreak {
  readonly at: SignalEnd;
  readonly because: BitChange;
}

/** The ways of coded sound, which needs every bit. */
interface BitWays {
  readonly breaks: readonly BitBreak[];
  /**
   * Where it arrives over the network without the other channel of its pair: ST 337 takes both, and only AM824 says in the channel status of AES3
   * that they are no sound.
   */
  readonly halves: readonly SignalEnd[];
}

/** Where a sound is first changed on each of its ways, from a channel on, and where half of it arrives. Cost: the channels that it reaches unchanged. */
export function bitWays(
  graph: SignalGraph,
  { devices, models }: BitTables,
  laneOf: (deviceId: string, channel: number) => Lane | undefined,
  start: SignalEnd,
): BitWays {
  const first = nodeOf(graph, start);
  const breaks: BitBreak[] = [];
  const halves: SignalEnd[] = [];
  if (first === NOBODY) return { breaks, halves };
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
      const lane = laneOf(at.deviceId, at.channel);
      const encoding = lane?.hearing?.stream.format.encoding;
      if (encoding === 'L24' && lane !== undefined && !isPaired(lane, laneOf)) halves.push(at);
      if (encoding === 'L16') because = 'L16';
      else if (model?.clock?.src === 'inputs') because = 'sample-rate-converter';
    }
    if (because === null) left.push(...fedBy(graph, node));
    else breaks.push({ at, because });
  }
  return { breaks, halves };
}

/** Whether the other channel of a pair (1 and 2, 3 and 4 …) arrives beside it, by the same stream. */
function isPaired(
  { subscription, hearing }: Lane,
  laneOf: (deviceId: string, channel: number) => Lane | undefined,
): boolean {
  const { receiverDeviceId, receiverChannel, senderDeviceId, senderChannel } = subscription;
  const step = senderChannel % 2 === 1 ? 1 : -1;
  const other = laneOf(receiverDeviceId, receiverChannel + step);
  return (
    other !== undefined &&
    other.hearing?.stream === hearing?.stream &&
    other.subscription.senderDeviceId === senderDeviceId &&
    other.subscription.senderChannel === senderChannel + step
  );
}
