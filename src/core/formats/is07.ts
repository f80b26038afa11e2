import { visible } from '../plan/visible-text';
import { rawOf } from './raw';

/** What sources of events tell over the REST interface of IS-07 v1.0: numbers with a unit (battery, radio level). Nothing is taken on trust. */

/** The unit of a number; null: the source is none of numbers. Empty: it has no unit. @param type the answer to `/sources/{id}/type` */
export function readNumberUnit(type: unknown): string | null {
  const raw = rawOf(type);
  if (raw['type'] !== 'number') return null;
  return typeof raw['unit'] === 'string' ? visible(raw['unit']).slice(0, 20) : '';
}

/** The number that a source tells now; null: none. IS-07 writes large and small ones as a whole number and a scale. @param state the answer to `/sources/{id}/state` */
export function readNumberState(state: unknown): number | null {
  const raw = rawOf(state);
  if (raw['message_type'] !== 'state' || !String(raw['event_type']).startsWith('number')) return null;
  const { value, scale = 1 } = rawOf(raw['payload']);
  if (typeof value !== 'number' || typeof scale !== 'number' || scale === 0) return null;
  const number = value / scale;
  return Number.isFinite(number) ? number : null;
}
