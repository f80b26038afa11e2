import { plannedClock } from '../clocks/clock-settings';
import type { Clocks } from '../clocks/clocks';
import { areLocked, differencePpm } from '../clocks/media-clock';
import { derives } from '../clocks/reference-state';
import { changedKeys } from '../plan/changed-keys';
import type { ModelledDevices, PlanOf } from '../plan/plan';
import type { Before } from './step';
import type { Wish, Wishes } from './wishes';

/** What a receiver receives of a sender whose samples another oscillator paces, with no SRC between. */
export interface Slip {
  /** The two origins of pace. */
  readonly key: string;
  readonly pair: { readonly senderId: string; readonly receiverId: string; readonly lanes: number };
  /** By how much the two may differ. */
  readonly partsPerMillion: number;
  readonly rateHz: number;
  readonly isStopped: boolean;
}

/** By receiver; those of whom nothing slips are not in it. */
export type Slips = ReadonlyMap<string, readonly Slip[]>;

interface SlipReads extends PlanOf<'clocks'> {
  readonly modelled: ModelledDevices;
  readonly clockwork: Clocks;
  readonly wishes: Wishes;
}

/** What slips against what. While clocks stay, only receivers that wish to receive otherwise are looked at again. */
export function slipsOf(now: SlipReads, before: Before<SlipReads, Slips> | undefined): Slips {
  const was = before?.now;
  const { modelled, clocks, clockwork, wishes } = now;
  const isKept = was?.modelled === modelled && was.clocks === clocks && was.clockwork === clockwork;
  const slips = new Map(isKept ? before?.made : undefined);
  if (!isKept) {
    const origins = new Set<string>();
    for (const { originKey } of clockwork.media.values()) origins.add(originKey);
    if (origins.size < 2 && !origins.has('stopped')) return slips;
  }
  const touched = isKept && was ? changedKeys(wishes.byReceiver, was.wishes.byReceiver) : wishes.byReceiver.keys();
  let isSame = isKept;
  for (const id of touched) {
    const wish = wishes.byReceiver.get(id);
    const own = wish === undefined ? [] : slipsInto({ ...modelled, clocks }, clockwork, id, wish);
    if (own.length === 0 && !slips.has(id)) continue;
    isSame = false;
    if (own.length === 0) slips.delete(id);
    else slips.set(id, own);
  }
  return isSame && before !== undefined ? before.made : slips;
}

function slipsInto(
  plan: ModelledDevices & PlanOf<'clocks'>,
  { media }: Clocks,
  receiverId: string,
  wish: Wish,
): Slip[] {
  const receiver = media.get(receiverId);
  if (receiver === undefined) return [];
  const slips: Slip[] = [];
  for (const { senderId, count } of wish.runs) {
    const sender = media.get(senderId);
    if (sender === undefined || senderId === receiverId || areLocked(sender, receiver)) continue;
    if (plannedClock(plan, receiverId)?.ability.src === 'inputs' && sender.origin.kind !== 'stopped') continue;
    // Lanes at different rates are refused already, or pass an SRC.
    if (!derives(sender.rateHz, receiver.rateHz, false)) continue;
    slips.push({
      key: [sender.originKey, receiver.originKey].sort().join('|'),
      pair: { senderId, receiverId, lanes: count },
      partsPerMillion: differencePpm(sender, receiver),
      rateHz: receiver.rateHz,
      isStopped: sender.origin.kind === 'stopped' || receiver.origin.kind === 'stopped',
    });
  }
  return slips;
}
