import type { Plan } from '@/core/plan/plan';
import type { DeviceLive, Loss } from '@/ui/session/losses';
import { deviceName, linkName } from './network-words';
import { count, timeOfDay } from './units';
import { failureWords } from './words';

/** A loss in a sentence: what, since when, what it takes along. */
export function lossWords(plan: Plan, loss: Loss): string {
  switch (loss.kind) {
    case 'registry':
      return `The registry is offline${loss.because === null ? '' : `: ${loss.because}`}. Live states are as they were last reported`;
    case 'device':
      return `${deviceName(plan, loss.deviceId)} is offline${loss.waiting === 0 ? '' : `, ${count(loss.waiting, 'lane')} waiting`}`;
    case 'failing':
      return `${deviceName(plan, loss.deviceId)} answers, but could not be read: ${failureWords(loss.failure)}`;
    case 'switch':
      return `${deviceName(plan, loss.deviceId)} does not answer (RESTCONF): ${failureWords(loss.failure)}`;
    case 'cable': {
      const link = plan.links.get(loss.linkId);
      return `Link down: ${link === undefined ? loss.linkId : linkName(plan, link)}`;
    }
  }
}

/** Since when, where that is known. */
export const sinceWords = (since: number | null): string => (since === null ? '' : `since ${timeOfDay(since)}`);

/** How a device is in the field, in a few words. */
export function liveWords(live: DeviceLive): string {
  switch (live.is) {
    case 'answering':
      return live.failure === null ? 'answering' : 'not read';
    case 'offline':
      return live.since === null ? 'offline' : `offline ${sinceWords(live.since)}`;
    case 'never-seen':
      return 'never seen';
    case 'on-paper':
      return 'on paper';
    case 'not-followed':
      return 'not followed';
  }
}
