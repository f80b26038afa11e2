import type { Lane } from '../reckon/lane';
import { NOBODY } from './device-part';
import { fedBy } from './fed-by';
import { nodeOf } from './graph';
import { hopBetween, type BitChange, type Signals } from './hop';
import { endOf, type SignalEnd } from './signal-end';
import { nearestFirst } from './walk';

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
export function bitWays(signals: Signals, start: SignalEnd): BitWays {
  const { graph, laneOf } = signals;
  const breaks: BitBreak[] = [];
  const halves: SignalEnd[] = [];
  const first = nodeOf(graph, start);
  if (first === NOBODY) return { breaks, halves };
  const changed = new Set<number>();
  const leadsOn = ({ node }: { node: number }) => (changed.has(node) ? [] : fedBy(graph, node));
  for (const { node, from } of nearestFirst([first], leadsOn)) {
    if (from === null) continue;
    const { to, changes } = hopBetween(signals, from.node, node);
    if (to.lane?.reception?.stream.format.encoding === 'L24' && !isPaired(to.lane, laneOf)) halves.push(endOf(to));
    if (changes === null) continue;
    changed.add(node);
    breaks.push({ at: endOf(to), because: changes });
  }
  return { breaks, halves };
}

/** Whether the other channel of a pair (1 and 2, 3 and 4 …) arrives beside it, by the same stream. */
function isPaired(
  { subscription, reception }: Lane,
  laneOf: (deviceId: string, channel: number) => Lane | undefined,
): boolean {
  const { receiverDeviceId, receiverChannel, senderDeviceId, senderChannel } = subscription;
  const step = senderChannel % 2 === 1 ? 1 : -1;
  const other = laneOf(receiverDeviceId, receiverChannel + step);
  return (
    other !== undefined &&
    other.reception?.stream === reception?.stream &&
    other.subscription.senderDeviceId === senderDeviceId &&
    other.subscription.senderChannel === senderChannel + step
  );
}
