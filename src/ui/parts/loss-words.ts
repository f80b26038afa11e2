import type { Plan } from '@/core/plan/plan';
import type { ContestInField } from '@/field/live/device-topics';
import type { DeviceLive, Loss } from '@/ui/session/losses';
import { deviceName } from './names';
import { linkName } from './network-words';
import { count, timeOfDay } from './units';
import { failureWords } from './send-words';

/** What is followed, by what it is called: a registry, or nodes that are read by themselves. */
export const followedWord = (url: string): 'registry' | 'field' =>
  /^(https?:|the registry)/.test(url) ? 'registry' : 'field';

/** A loss in a sentence: what, since when, what it takes along. */
export function lossWords(plan: Plan, loss: Loss): string {
  switch (loss.kind) {
    case 'registry':
      return `The ${followedWord(loss.url)} is offline${loss.because === null ? '' : `: ${loss.because}`}. Live states are as they were last reported`;
    case 'device':
      return `${deviceName(plan, loss.deviceId)} is offline${loss.waiting === 0 ? '' : `, ${count(loss.waiting, 'lane')} waiting`}`;
    case 'failing':
      return loss.isNotKnown
        ? `${deviceName(plan, loss.deviceId)} does not answer: ${failureWords(loss.failure)}. Its state is not known`
        : `${deviceName(plan, loss.deviceId)} is there, but could not be read: ${failureWords(loss.failure)}`;
    case 'contested':
      return contestWords(plan, loss.deviceId, loss.contest);
    case 'switch':
      return `${deviceName(plan, loss.deviceId)} does not answer (RESTCONF): ${failureWords(loss.failure)}`;
    case 'cable': {
      const link = plan.links.get(loss.linkId);
      return `Link down: ${link === undefined ? loss.linkId : linkName(plan, link)}`;
    }
  }
}

const CLAIMED = { id: 'the node id', serial: 'the serial', address: 'the address' } as const;

/** Who claims to be one device, and what follows. */
export function contestWords(plan: Plan, deviceId: string, { by, value, labels }: ContestInField): string {
  const who = by === 'id' ? 'two nodes claim' : `${labels.join(' and ')} claim`;
  return `${deviceName(plan, deviceId)} is contested: ${who} ${CLAIMED[by]} ${value}. Nothing is written to any of them`;
}

/** Since when, where that is known. */
export const sinceWords = (since: number | null): string => (since === null ? '' : `since ${timeOfDay(since)}`);

/** How a device is in the field, in a few words. */
export function liveWords(live: DeviceLive): string {
  switch (live.is) {
    case 'answering':
      return live.isNotKnown ? 'no answer' : live.failure === null ? 'answering' : 'not read';
    case 'offline':
      return live.since === null ? 'offline' : `offline ${sinceWords(live.since)}`;
    case 'never-seen':
      return 'never seen';
    case 'on-paper':
      return 'on paper';
    case 'contested':
      return 'contested';
    case 'not-followed':
      return 'not followed';
  }
}
