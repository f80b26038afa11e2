import type { PlanOf } from '../plan/plan';
import type { Subscription } from '../plan/subscriptions-table';

/**
 * What one receiver is to receive. Channel numbers stand in lists of their own: a plan has a hundred thousand lanes, and whoever looks at them all
 * wants numbers, not records from all over the memory.
 */
export interface Wish {
  readonly receiverId: string;
  /** In the order of receiver channels. */
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

type Feeds = ReadonlyMap<number, Subscription>;

function wishOf(receiverId: string, feeds: Feeds): Wish {
  const lanes = [...feeds.values()];
  const isRising = lanes.every((s, n) => n === 0 || (lanes[n - 1] as Subscription).receiverChannel < s.receiverChannel);
  // Most receivers were subscribed in the order of their channels.
  if (!isRising) lanes.sort((a, b) => a.receiverChannel - b.receiverChannel);
  const receiverChannels = new Array<number>(lanes.length);
  const senderChannels = new Array<number>(lanes.length);
  const placesBySender = new Map<string, number[]>();
  let places: number[] = [];
  let lastSenderId: string | null = null;
  for (let n = 0; n < lanes.length; n += 1) {
    const { senderDeviceId, senderChannel, receiverChannel } = lanes[n] as Subscription;
    receiverChannels[n] = receiverChannel;
    senderChannels[n] = senderChannel;
    if (senderDeviceId !== lastSenderId) {
      places = placesBySender.get(senderDeviceId) ?? [];
      placesBySender.set(senderDeviceId, places);
      lastSenderId = senderDeviceId;
    }
    places.push(n);
  }
  const runs: WishedRun[] = [];
  const wish = { receiverId, lanes, receiverChannels, senderChannels, runs };
  for (const [senderId, own] of [...placesBySender].sort(([a], [b]) => (a < b ? -1 : 1))) {
    const first = own[0] as number;
    const last = own[own.length - 1] as number;
    runs.push({
      wish,
      index: runs.length,
      senderId,
      count: own.length,
      first,
      places: last - first === own.length - 1 ? null : own,
      highestSenderChannel: own.reduce((most, place) => Math.max(most, senderChannels[place] as number), 0),
      highestReceiverChannel: receiverChannels[last] as number,
    });
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
