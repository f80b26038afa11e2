import type { PlanOf } from '../plan/plan';
import type { Subscription } from '../plan/subscriptions-table';

/** What one receiver is to hear. */
export interface Wish {
  /** In the order of receiver channels. */
  readonly lanes: readonly Subscription[];
  /** By sender, in the order of ids: the same lanes. */
  readonly bySender: ReadonlyMap<string, readonly Subscription[]>;
}

/** Who is to hear whom. What did not change is the same object. */
export interface Wishes {
  readonly byReceiver: ReadonlyMap<string, Wish>;
  readonly hearersBySender: ReadonlyMap<string, ReadonlySet<string>>;
  /** The subscriptions that a wish was made from. */
  readonly from: PlanOf<'subscriptions'>['subscriptions'];
}

function wishOf(feeds: ReadonlyMap<number, Subscription>): Wish {
  const lanes = [...feeds.values()];
  for (let i = 1; i < lanes.length; i += 1) {
    if ((lanes[i - 1] as Subscription).receiverChannel < (lanes[i] as Subscription).receiverChannel) continue;
    lanes.sort((a, b) => a.receiverChannel - b.receiverChannel);
    break;
  }
  const bySender = new Map<string, Subscription[]>();
  let lastSender = '';
  let run: Subscription[] = [];
  let isInOrder = true;
  for (const lane of lanes) {
    if (lane.senderDeviceId !== lastSender) {
      const known = bySender.get(lane.senderDeviceId);
      if (known === undefined) {
        if (lane.senderDeviceId < lastSender) isInOrder = false;
        bySender.set(lane.senderDeviceId, (run = []));
      } else run = known;
      lastSender = lane.senderDeviceId;
    }
    run.push(lane);
  }
  return { lanes, bySender: isInOrder ? bySender : new Map([...bySender].sort(([a], [b]) => (a < b ? -1 : 1))) };
}

export function wishesOf({ subscriptions }: PlanOf<'subscriptions'>, before: Wishes | undefined): Wishes {
  const byReceiver = new Map(before?.byReceiver);
  const hearersBySender = new Map<string, Set<string>>(before?.hearersBySender as Map<string, Set<string>> | undefined);
  const opened = new Set<string>();
  const hearersOf = (senderId: string): Set<string> => {
    let hearers = hearersBySender.get(senderId);
    if (hearers === undefined || !opened.has(senderId)) {
      hearers = new Set(hearers);
      hearersBySender.set(senderId, hearers);
      opened.add(senderId);
    }
    return hearers;
  };
  const change = (receiverId: string, after: Wish | undefined) => {
    const was = byReceiver.get(receiverId);
    if (after === undefined) byReceiver.delete(receiverId);
    else byReceiver.set(receiverId, after);
    for (const senderId of was?.bySender.keys() ?? []) {
      if (after?.bySender.has(senderId) !== true) hearersOf(senderId).delete(receiverId);
    }
    for (const senderId of after?.bySender.keys() ?? []) hearersOf(senderId).add(receiverId);
  };
  for (const [receiverId, feeds] of subscriptions) {
    if (before?.from.get(receiverId) !== feeds) change(receiverId, wishOf(feeds));
  }
  for (const receiverId of before?.from.keys() ?? []) if (!subscriptions.has(receiverId)) change(receiverId, undefined);
  for (const senderId of opened) if (hearersBySender.get(senderId)?.size === 0) hearersBySender.delete(senderId);
  return { byReceiver, hearersBySender, from: subscriptions };
}
