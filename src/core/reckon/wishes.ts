import type { PlanOf } from '../plan/plan';
import type { Subscription } from '../plan/subscriptions-table';

/**
 * What one receiver is to hear. Channel numbers stand in lists of their own: a plan has a hundred thousand lanes, and whoever looks at them all
 * wants numbers, not records from all over the memory.
 */
export interface Wish {
  readonly receiverId: string;
  /** In the order of receiver channels. */
  readonly lanes: readonly Subscription[];
  /** By lane. */
  readonly receiverChannels: readonly number[];
  /** By sender, in the order of ids: the same lanes. */
  readonly runs: readonly WishedRun[];
}

/** What one receiver is to hear of one sender. */
export interface WishedRun {
  readonly wish: Wish;
  /** Which of the runs of its receiver it is. */
  readonly index: number;
  readonly senderId: string;
  /** Of each of its lanes, in the order of receiver channels. */
  readonly senderChannels: readonly number[];
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

/** The records of a run. */
export function lanesOfRun(run: WishedRun): readonly Subscription[] {
  const { lanes } = run.wish;
  if (run.places === null) return lanes.slice(run.first, run.first + run.senderChannels.length);
  return run.places.map((place) => lanes[place] as Subscription);
}

/** Who is to hear whom. What did not change is the same object. */
export interface Wishes {
  readonly byReceiver: ReadonlyMap<string, Wish>;
  /** By sender: what each of its receivers is to hear of it, in any order. */
  readonly hearersBySender: ReadonlyMap<string, readonly WishedRun[]>;
  /** The subscriptions that a wish was made from. */
  readonly from: PlanOf<'subscriptions'>['subscriptions'];
}

type OpenRun = { -readonly [K in keyof WishedRun]: WishedRun[K] };

function wishOf(receiverId: string, feeds: ReadonlyMap<number, Subscription>): Wish {
  const lanes = Array.from(feeds.values());
  const receiverChannels = new Array<number>(lanes.length);
  let isRising = true;
  for (let n = 0; n < lanes.length; n += 1) {
    const channel = (lanes[n] as Subscription).receiverChannel;
    receiverChannels[n] = channel;
    if (n > 0 && (receiverChannels[n - 1] as number) > channel) isRising = false;
  }
  if (!isRising) {
    lanes.sort((a, b) => a.receiverChannel - b.receiverChannel);
    receiverChannels.sort((a, b) => a - b);
  }
  const runs: OpenRun[] = [];
  const wish: Wish = { receiverId, lanes, receiverChannels, runs };
  let isInOrder = true;
  for (let first = 0, end = 0; first < lanes.length; first = end) {
    const { senderDeviceId: senderId } = lanes[first] as Subscription;
    end = first + 1;
    while (end < lanes.length && (lanes[end] as Subscription).senderDeviceId === senderId) end += 1;
    const senderChannels = new Array<number>(end - first);
    let highestSenderChannel = 0;
    for (let n = first; n < end; n += 1) {
      const { senderChannel } = lanes[n] as Subscription;
      senderChannels[n - first] = senderChannel;
      if (senderChannel > highestSenderChannel) highestSenderChannel = senderChannel;
    }
    const highestReceiverChannel = receiverChannels[end - 1] as number;
    const index = runs.length;
    const before = runs[index - 1];
    if (before !== undefined && senderId < before.senderId) isInOrder = false;
    const known = isInOrder ? undefined : runs.find((r) => r.senderId === senderId);
    if (known === undefined) {
      const places = null;
      runs.push({ wish, index, senderId, senderChannels, first, places, highestSenderChannel, highestReceiverChannel });
    } else {
      const { senderChannels: sooner, first: from } = known;
      known.places ??= sooner.map((_, k) => from + k);
      known.places = [...known.places, ...senderChannels.map((_, k) => first + k)];
      known.senderChannels = [...sooner, ...senderChannels];
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
  const hearersBySender = new Map<string, readonly WishedRun[]>(before?.hearersBySender);
  const opened = new Map<string, WishedRun[]>();
  const hearersOf = (senderId: string): WishedRun[] => {
    let hearers = opened.get(senderId);
    if (hearers === undefined) {
      hearers = hearersBySender.get(senderId)?.slice() ?? [];
      hearersBySender.set(senderId, hearers);
      opened.set(senderId, hearers);
    }
    return hearers;
  };
  const placeOf = (hearers: readonly WishedRun[], receiverId: string) =>
    hearers.findIndex((run) => run.wish.receiverId === receiverId);
  const change = (receiverId: string, after: Wish | undefined) => {
    const was = byReceiver.get(receiverId);
    if (after === undefined) byReceiver.delete(receiverId);
    else byReceiver.set(receiverId, after);
    const runs = after?.runs ?? NO_RUNS;
    if (was !== undefined) {
      for (const { senderId } of was.runs) {
        if (runs.some((r) => r.senderId === senderId)) continue;
        const hearers = hearersOf(senderId);
        hearers.splice(placeOf(hearers, receiverId), 1);
      }
    }
    for (const run of runs) {
      const hearers = hearersOf(run.senderId);
      const place = was === undefined ? -1 : placeOf(hearers, receiverId);
      if (place < 0) hearers.push(run);
      else hearers[place] = run;
    }
  };
  for (const [receiverId, feeds] of subscriptions) {
    if (before?.from.get(receiverId) !== feeds) change(receiverId, wishOf(receiverId, feeds));
  }
  if (before !== undefined) {
    for (const receiverId of before.from.keys()) if (!subscriptions.has(receiverId)) change(receiverId, undefined);
    for (const [senderId, hearers] of opened) if (hearers.length === 0) hearersBySender.delete(senderId);
  }
  return { byReceiver, hearersBySender, from: subscriptions };
}
