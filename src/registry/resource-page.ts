import { formatTai, parseTai, taiNow } from '../core/units/tai';
import { HttpProblem, json, problem, type Request, type Response } from './http';
import { QUERY, isDowngrade, matches, shownAs, type Registered, type ResourceType, type Version } from './resources';

const PAGE_DEFAULT = 100;
const PAGE_MAX = 1000;

/**
 * One page of the resources of a type, filtered, newest first, with the links to its neighbours (IS-04 Query API, pagination).
 *
 * @param oldestFirst the resources of a type in the order of their creation or of their last update; others among them are passed over
 */
export function resourcePage(
  request: Request,
  version: Version,
  oldestFirst: (type: ResourceType, order: 'update' | 'create') => Iterable<Registered>,
): Response {
  const type = (request.params[0] as string).slice(0, -1) as ResourceType;
  const { query } = request;
  if (query.has('query.rql') || query.has('query.ancestry_id')) return problem(501, 'Not implemented');
  const downgrade = query.get('query.downgrade');
  if (!isDowngrade(downgrade, version)) return problem(400, 'query.downgrade is not a version up to this one');
  const filters = [...query.entries()].filter(([key]) => !key.startsWith('paging.') && !key.startsWith('query.'));
  const order = query.get('paging.order') ?? 'update';
  if (order !== 'update' && order !== 'create') return problem(400, 'paging.order is update or create');
  const limitText = query.get('paging.limit') ?? String(PAGE_DEFAULT);
  const limit = Math.min(Number(limitText), PAGE_MAX);
  if (!/^\d+$/.test(limitText) || limit < 1) return problem(400, 'paging.limit is not a positive whole number');
  const bound = (name: string) => {
    const text = query.get(name);
    const value = text === null ? null : parseTai(text);
    if (text !== null && value === null) throw new HttpProblem(400, `${name} is not <seconds>:<nanoseconds>`);
    return value;
  };
  const since = bound('paging.since');
  const until = bound('paging.until');
  if (since !== null && until !== null && since > until) return problem(400, 'paging.since is after paging.until');
  const stamp = (r: Registered) => (order === 'update' ? r.updatedAt : r.createdAt);
  const matching = [...oldestFirst(type, order)]
    .filter((r) => {
      if (r.type !== type) return false;
      const shown = shownAs(r, version, downgrade);
      return shown !== null && matches(shown, filters);
    })
    .reverse();
  const inside = matching.filter((r) => (since === null || stamp(r) > since) && (until === null || stamp(r) <= until));
  // With only a lower bound the page is the oldest of those above it; otherwise it is the newest.
  const page = since !== null && until === null ? inside.slice(-limit) : inside.slice(0, limit);
  const newest = page[0];
  const oldest = page[page.length - 1];
  const upper =
    newest && page.length === limit && since !== null && until === null
      ? stamp(newest)
      : (until ?? parseTai(taiNow()) ?? 0n);
  const lower =
    page.length === limit && oldest && !(since !== null && until === null) ? stamp(oldest) - 1n : (since ?? 0n);
  const link = (rel: string, change: Record<string, string>) => {
    const params = new URLSearchParams([...query.entries()].filter(([k]) => !/^paging\.(since|until)$/.test(k)));
    params.set('paging.limit', String(limit));
    for (const [k, v] of Object.entries(change)) params.set(k, v);
    return `<${request.base}${QUERY}/${version}/${type}s?${params.toString()}>; rel="${rel}"`;
  };
  const links = [
    link('next', { 'paging.since': formatTai(upper) }),
    link('prev', { 'paging.until': formatTai(lower) }),
  ];
  return json(
    page.map((r) => shownAs(r, version, downgrade)),
    200,
    {
      link: links.join(', '),
      'x-paging-limit': String(limit),
      'x-paging-since': formatTai(lower),
      'x-paging-until': formatTai(upper),
    },
  );
}
