import { json, problem, route, type Route } from '../registry/http';
import { taiNow } from '../core/units/tai';
import type { StandinSpec } from './fleet';
import type { NodeIds } from './resources';

/** IS-07 v1.0 over REST: what a wireless receiver tells of its packs. */

export interface StandinEvent {
  /** What it tells, behind the channel as printed: `Radio 3 battery`. */
  readonly label: string;
  readonly channel: number;
  readonly kind: 'battery' | 'radio level';
  readonly eventType: string;
  readonly unit: string;
  readonly min: number;
  readonly max: number;
}

const KINDS = [
  { kind: 'battery', eventType: 'number/battery', unit: '%', min: 0, max: 100 },
  { kind: 'radio level', eventType: 'number/level', unit: 'dBm', min: -120, max: 0 },
] as const;

export const hasEvents = ({ radio = null }: StandinSpec): boolean => radio !== null;

export function eventsOf({ radio = null }: StandinSpec): readonly StandinEvent[] {
  if (radio === null) return [];
  return Array.from({ length: radio.channels }, (_, n) =>
    KINDS.map((of) => ({ ...of, channel: n + 1, label: `${radio.name} ${n + 1} ${of.kind}` })),
  ).flat();
}

/** What its packs tell until somebody sets it otherwise: no two alike. */
export function usualValue({ kind, channel }: StandinEvent): number {
  return kind === 'battery' ? 94 - 7 * channel : -52 - 3 * channel;
}

export function eventRoutes(spec: StandinSpec, ids: NodeIds, valueOf: (event: StandinEvent) => number): Route[] {
  if (!hasEvents(spec)) return [];
  const api = '/x-nmos/events/v1.0';
  const events = new Map(eventsOf(spec).map((e) => [ids.eventSource(e.label), e]));
  const one = (id: string | undefined, answer: (event: StandinEvent, id: string) => unknown) => {
    const event = events.get(id ?? '');
    return event === undefined ? problem(404, 'Not found') : json(answer(event, id as string));
  };
  return [
    route('GET', '/x-nmos/events', () => json(['v1.0/'])),
    route('GET', api, () => json(['sources/'])),
    route('GET', `${api}/sources`, () => json([...events.keys()].map((id) => `${id}/`))),
    route('GET', `${api}/sources/([^/]+)`, (r) => one(r.params[0], () => ['type/', 'state/'])),
    route('GET', `${api}/sources/([^/]+)/type`, (r) =>
      one(r.params[0], ({ unit, min, max }) => ({ type: 'number', min: { value: min }, max: { value: max }, unit })),
    ),
    route('GET', `${api}/sources/([^/]+)/state`, (r) =>
      one(r.params[0], (event, id) => ({
        identity: { source_id: id, flow_id: ids.eventFlow(event.label) },
        event_type: event.eventType,
        timing: { creation_timestamp: taiNow() },
        payload: { value: valueOf(event) },
        message_type: 'state',
      })),
    ),
  ];
}
