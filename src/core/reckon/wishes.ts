import type { PlanOf } from '../plan/plan';
import type { Subscription } from '../plan/subscriptions-table';

/**
 * What one receiver is to receive. Channel numbers stand in lists of their own: a plan has a hundred thousand lanes, and whoever looks at them all
 * wants numbers, not records from all over the memory.
 */
export interface Wish {
  readonly receiverId: string;
  /** In the order of receiver channels. Made when asked for. */
  readonly lanes: readonly Subscription[];
  /** By lane. */
  readonly receiverChannels: readonly number[];
  /** By lane. */
  readonly senderChannels: readonly number[];
  /** By sender, in the order of ids: the same lanes. */
  readonly runs: readonly WishedRun[];
}

/** What one receiver is to receive of one sender. */
export interface WishedRun {
  readonly wish: Wish;
  /** Which of the runs of its receiver it is. */
  readonly index: number;
  readonly senderId: string;
  /** How many lanes it has. */
  readonly count: number;
  /** The place of its first lane among all of the receiver. */
  readonly first: number;
  /** The places of all its lanes; null: they follow one another from the first on. */
  readonly places: readonly number[] | null;
  readonly highestSenderChannel: number;
  readonly highestReceiverChannel: number;
}

/** The place of the n-th lane of a run among all lanes of its receiver. */
export const placeInWish = ({ first, places }: WishedRun, n: number): number =>
  places === null ? first + n : (places[n] as number);

/** What a list by lane of its receiver has for the lanes of a run. */
function ofRun<T>({ first, count, places }: WishedRun, byLane: readonly T[]): readonly T[] {
  return places === null ? byLane.slice(first, first + count) : places.map((place) => byLane[place] as T);
}

/** The records of a run. */
export const lanesOfRun = (run: WishedRun): readonly Subscription[] => ofRun(run, run.wish.lanes);

/** Of each lane of a run, in the order of receiver channels. */
export const senderChannelsOf = (run: WishedRun): readonly number[] => ofRun(run, run.wish.senderChannels);

/** Who is to receive whom. What did not change is the same object. */
export interface Wishes {
  readonly byReceiver: ReadonlyMap<string, Wish>;
  /** By sender: what each of its receivers is to receive of it, in any order. */
  readonly receiversBySender: ReadonlyMap<string, readonly WishedRun[]>;
  /** The subscriptions that a wish was made from. */
  readonly from: PlanOf<'subscriptions'>['subscriptions'];
}

type OpenRun = { -readonly [K in keyof WishedRun]: WishedRun[K] };
type Feeds = ReadonlyMap<number, Subscription>;

const byReceiverChannel = (a: Subscription, b: Subscription) => a.receiverChannel - b.receiverChannel;

/** A wish whose records are listed when asked for: numbers are all that most want of it. */
class WishFromFeeds implements Wish {
  private listed: readonly Subscription[] | null = null;

  constructor(
    readonly receiverId: string,
    private readonly feeds: Feeds,
    readonly receiverChannels: readonly number[],
    readonly senderChannels: readonly number[],
    readonly runs: readonly WishedRun[],
  ) {}

  get lanes(): readonly Subscription[] {
    return (this.listed ??= [...this.feeds.values()].sort(byReceiverChannel));
  }
}

// Where the stretches of one sender begin, while a wish is made: the lists are used again.
const starts: number[] = [];
const senderIds: string[] = [];

function wishOf(receiverId: string, feeds: Feeds): Wish {
  const receiverChannels = new Array<number>(feeds.size);
  const senderChannels = new Array<number>(feeds.size);
  let count = 0;
  let stretches = 0;
  let isRising = true;
  /** Channels are from 1. */
  let lastChannel = 0;
  let lastSender = '';
  const add = ({ receiverChannel, senderChannel, senderDeviceId }: Subscription) => {
    receiverChannels[count] = receiverChannel;
    senderChannels[count] = senderChannel;
    if (receiverChannel < lastChannel) isRising = false;
    lastChannel = receiverChannel;
    if (count === 0 || senderDeviceId !== lastSender) {
      starts[stretches] = count;
      senderIds[stretches] = senderDeviceId;
      stretches += 1;
      lastSender = senderDeviceId;
    }
    count += 1;
  };
  feeds.forEach(add);
  if (!isRising) {
    count = 0;
    stretches = 0;
    [...feeds.values()].sort(byReceiverChannel).forEach(add);
  }
  const runs: OpenRun[] = [];
  const wish = new WishFromFeeds(receiverId, feeds, receiverChannels, senderChannels, runs);
  let isInOrder = true;
  for (let n = 0; n < stretches; n += 1) {
    const first = starts[n] as number;
    const end = n + 1 < stretches ? (starts[n + 1] as number) : count;
    const length = end - first;
    const senderId = senderIds[n] as string;
    let highestSenderChannel = 0;
    for (let k = first; k < end; k += 1)
      if ((senderChannels[k] as number) > highestSenderChannel) highestSenderChannel = senderChannels[k] as number;
    const highestReceiverChannel = receiverChannels[end - 1] as number;
    if (n > 0 && senderId < (senderIds[n - 1] as string)) isInOrder = false;
    const known = isInOrder ? undefined : runs.find((r) => r.senderId === senderId);
    if (known === undefined) {
      const index = runs.length;
      const places = null;
      runs.push({
        wish,
        index,
        senderId,
        count: length,
        first,
        places,
        highestSenderChannel,
        highestReceiverChannel,
      });
    } else {
      const placesFrom = (from: number, count: number) => Array.from({ length: count }, (_, k) => from + k);
      known.places = [...(known.places ?? placesFrom(known.first, known.count)), ...placesFrom(first, length)];
      known.count += length;
      known.highestSenderChannel = Math.max(known.highestSenderChannel, highestSenderChannel);
      known.highestReceiverChannel = highestReceiverChannel;
    }
  }
  if (!isInOrder) {
    runs.sort((a, b) => (a.senderId < b.senderId ? -1 : 1));
    for (let index = 0; index < runs.length; index += 1) (runs[index] as OpenRun).index = index;
  }
  return wish;
}

const NO_RUNS: readonly WishedRun[] = [];

export function wishesOf({ subscriptions }: PlanOf<'subscriptions'>, before: Wishes | undefined): Wishes {
  const byReceiver = new Map(before?.byReceiver);
  const receiversBySender = new Map<string, readonly WishedRun[]>(before?.receiversBySender);
  const opened = new Map<string, WishedRun[]>();
  const receiversOf = (senderId: string): WishedRun[] => {
    let receivers = opened.get(senderId);
    if (receivers === undefined) {
      receivers = receiversBySender.get(senderId)?.slice() ?? [];
      receiversBySender.set(senderId, receivers);
      opened.set(senderId, receivers);
    }
    return receivers;
  };
  const placeOf = (receivers: readonly WishedRun[], receiverId: string) =>
    receivers.findIndex((run) => run.wish.receiverId === receiverId);
  const change = (receiverId: string, after: Wish | undefined) => {
    const was = byReceiver.get(receiverId);
    if (after === undefined) byReceiver.delete(receiverId);
    else byReceiver.set(receiverId, after);
    const runs = after?.runs ?? NO_RUNS;
    if (was !== undefined) {
      for (const { senderId } of was.runs) {
        if (runs.some((r) => r.senderId === senderId)) continue;
        const receivers = receiversOf(senderId);
        receivers.splice(placeOf(receivers, receiverId), 1);
      }
    }
    for (const run of runs) {
      const receivers = receiversOf(run.senderId);
      const place = was === undefined ? -1 : placeOf(receivers, receiverId);
      if (place < 0) receivers.push(run);
      else receivers[place] = run;
    }
  };
  for (const [receiverId, feeds] of subscriptions) {
    if (before?.from.get(receiverId) !== feeds) change(receiverId, wishOf(receiverId, feeds));
  }
  if (before !== undefined) {
    for (const receiverId of before.from.keys()) if (!subscriptions.has(receiverId)) change(receiverId, undefined);
    for (const [senderId, receivers] of opened) if (receivers.length === 0) receiversBySender.delete(senderId);
  }
  return { byReceiver, receiversBySender, from: subscriptions };
}
