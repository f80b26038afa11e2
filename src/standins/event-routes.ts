import { taiNow } from '../core/units/tai';
import { json, problem, route, type Route } from '../registry/http';
import { eventsOf, hasEvents, type StandinEvent } from './events';
import type { StandinSpec } from './fleet';
import type { NodeIds } from './resources';

/** The REST interface of IS-07 v1.0. */
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
