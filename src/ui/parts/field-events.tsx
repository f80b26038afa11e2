import type { Plan } from '@/core/plan/plan';
import type { LiveEvent } from '@/field/live/happenings';
import { grandmasterName } from './clock-words';
import { deviceNames } from './names';
import { timeOfDay } from './units';

/** What happened in the field, in words, and how often where it happens again and again. */
export function happeningWords(plan: Plan, event: LiveEvent): string {
  const { times, lastAt } = event;
  const often = times === undefined || lastAt === undefined ? '' : ` (${times} times, last at ${timeOfDay(lastAt)})`;
  return `${onceWords(plan, event)}${often}`;
}

function onceWords(plan: Plan, event: LiveEvent): string {
  switch (event.what) {
    case 'devices-gone':
      return `${deviceNames(plan, event.deviceIds)} went offline`;
    case 'devices-back':
      return `${deviceNames(plan, event.deviceIds)} came back`;
    case 'switches-silent':
      return `${deviceNames(plan, event.deviceIds)} stopped answering (RESTCONF)`;
    case 'switches-answer':
      return `${deviceNames(plan, event.deviceIds)} answered again (RESTCONF)`;
    case 'cables-down':
      return `Link down: ${cables(plan, event.linkIds)}`;
    case 'cables-up':
      return `Link up: ${cables(plan, event.linkIds)}`;
    case 'registry-lost':
      return `The registry was lost${event.because === null ? '' : `: ${event.because}`}`;
    case 'registry-back':
      return 'The registry came back';
    case 'grandmaster-changed':
      return `${deviceNames(plan, event.deviceIds)} now ${event.deviceIds.length === 1 ? 'follows' : 'follow'} ${grandmasterName(plan, event.to)} (was ${grandmasterName(plan, event.from)})`;
    case 'second-grandmaster':
      return `More than one grandmaster: ${event.gmids.map((g) => grandmasterName(plan, g)).join(' and ')}`;
    case 'one-grandmaster':
      return `One grandmaster again: ${grandmasterName(plan, event.gmid)}`;
    case 'lock-lost':
      return `${deviceNames(plan, event.deviceIds)} lost lock`;
  }
}

function cables(plan: Plan, linkIds: readonly string[]): string {
  const ends = linkIds.slice(0, 3).map((id) => {
    const link = plan.links.get(id);
    return link === undefined ? 'a cable that was removed' : deviceNames(plan, [link.from.deviceId, link.to.deviceId]);
  });
  const more = linkIds.length - ends.length;
  return [...ends, ...(more > 0 ? [`${more} more`] : [])].join('; ');
}

/** The newest first, each with its time. */
export function FieldEvents({ plan, events, label }: { plan: Plan; events: readonly LiveEvent[]; label: string }) {
  return (
    <ul aria-label={label} className="text-[12px]">
      {events.map((event) => (
        <li key={event.id} className="border-t border-line/60 py-0.5">
          <span className="font-mono text-dim">{timeOfDay(event.at)}</span> {happeningWords(plan, event)}
        </li>
      ))}
    </ul>
  );
}
