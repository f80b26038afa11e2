import type { PlanOf } from '../plan/plan';
import type { Subscription } from '../plan/subscriptions-table';

/**
 * What one receiver is to hear. Channel numbers stand in lists of their own: a plan has a hundred thousand lanes, and whoever looks at them all
 * wants numbers, not records from all over the memory.
 */
export interface Wish {
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
  /** By sender, then by receiver. */
  readonly hearersBySender: ReadonlyMap<string, ReadonlyMap<string, WishedRun>>;
  /** The subscriptions that a wish was made from. */
  readonly from: PlanOf<'subscriptions'>['subscriptions'];
}

interface OpenRun {
  senderId: string;
  index: number;
  first: number;
  places: number[] | null;
  senderChannels: number[];
  highestSenderChannel: number;
  highestReceiverChannel: number;
}

function wishOf(feeds: ReadonlyMap<number, Subscription>): Wish {
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
  const open: OpenRun[] = [];
  let run: OpenRun | undefined;
  let isInOrder = true;
  for (let n = 0; n < lanes.length; n += 1) {
    const { senderDeviceId: senderId, senderChannel } = lanes[n] as Subscription;
    if (run?.senderId !== senderId) {
      if (run !== undefined && senderId < run.senderId) isInOrder = false;
      const again: OpenRun | undefined = open.find((r) => r.senderId === senderId);
      if (again === undefined) {
        run = {
          senderId,
          index: 0,
          first: n,
          places: null,
          senderChannels: [],
          highestSenderChannel: 0,
          highestReceiverChannel: 0,
        };
        open.push(run);
      } else {
        run = again;
        const { first, senderChannels } = run;
        run.places ??= senderChannels.map((_, k) => first + k);
      }
    }
    run.places?.push(n);
    run.senderChannels.push(senderChannel);
    if (senderChannel > run.highestSenderChannel) run.highestSenderChannel = senderChannel;
    run.highestReceiverChannel = receiverChannels[n] as number;
  }
  if (!isInOrder) open.sort((a, b) => (a.senderId < b.senderId ? -1 : 1));
  const runs: WishedRun[] = [];
  const wish: Wish = { lanes, receiverChannels, runs };
  for (const [index, r] of open.entries()) runs.push(Object.assign(r, { wish, index }));
  return wish;
}

const NO_RUNS: readonly WishedRun[] = [];

export function wishesOf({ subscriptions }: PlanOf<'subscriptions'>, before: Wishes | undefined): Wishes {
  const byReceiver = new Map(before?.byReceiver);
  const hearersBySender = new Map<string, ReadonlyMap<string, WishedRun>>(before?.hearersBySender);
  const opened = new Map<string, Map<string, WishedRun>>();
  const hearersOf = (senderId: string): Map<string, WishedRun> => {
    let hearers = opened.get(senderId);
    if (hearers === undefined) {
      hearers = new Map(hearersBySender.get(senderId));
      hearersBySender.set(senderId, hearers);
      opened.set(senderId, hearers);
    }
    return hearers;
  };
  const change = (receiverId: string, after: Wish | undefined) => {
    const was = byReceiver.get(receiverId);
    if (after === undefined) byReceiver.delete(receiverId);
    else byReceiver.set(receiverId, after);
    const runs = after?.runs ?? NO_RUNS;
    if (was !== undefined) {
      for (const { senderId } of was.runs)
        if (!runs.some((r) => r.senderId === senderId)) hearersOf(senderId).delete(receiverId);
    }
    for (const run of runs) hearersOf(run.senderId).set(receiverId, run);
  };
  for (const [receiverId, feeds] of subscriptions) {
    if (before?.from.get(receiverId) !== feeds) change(receiverId, wishOf(feeds));
  }
  if (before !== undefined) {
    for (const receiverId of before.from.keys()) if (!subscriptions.has(receiverId)) change(receiverId, undefined);
    for (const [senderId, hearers] of opened) if (hearers.size === 0) hearersBySender.delete(senderId);
  }
  return { byReceiver, hearersBySender, from: subscriptions };
}
