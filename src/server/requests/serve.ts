import 'reflect-metadata';
import { RequestProblem } from '../problem';
import { respond } from '../respond';
import { checked } from '../validate';
import type { Declared } from './declared';
import { HOUSE_REQUESTS } from './house-requests';
import { PLAN_REQUESTS } from './plan-requests';
import { readRequest } from './read-request';
import { SEND_REQUESTS } from './send-requests';

/** Everything that can be asked of the server, by method and path. Pages know the names and types of these alone. */
const REQUESTS = { ...PLAN_REQUESTS, ...SEND_REQUESTS, ...HOUSE_REQUESTS };
export type Requests = typeof REQUESTS;

type AnyDeclared = Declared<unknown, unknown, unknown>;

interface Route {
  readonly method: string;
  readonly segments: readonly string[];
  readonly declared: AnyDeclared;
}

const isParameter = (segment: string): boolean => segment.startsWith(':');

/** Those whose path is fixed come first: `/api/plans/demo` is no plan. */
const ROUTES: readonly Route[] = Object.entries(REQUESTS)
  .map(([name, declared]) => {
    const [method = '', path = ''] = name.split(' ');
    return { method, segments: path.split('/'), declared: declared as unknown as AnyDeclared };
  })
  .sort((a, b) => a.segments.filter(isParameter).length - b.segments.filter(isParameter).length);

/** What stands in a path where a route has parameters; null: it is another path. */
function parametersOf({ segments }: Route, asked: readonly string[]): Record<string, string> | null {
  if (asked.length !== segments.length) return null;
  const found: Record<string, string> = {};
  for (const [n, segment] of segments.entries()) {
    const value = asked[n] as string;
    if (!isParameter(segment)) {
      if (segment !== value) return null;
    } else if (value === '') return null;
    else found[segment.slice(1)] = value;
  }
  return found;
}

function segmentsOf(pathname: string): readonly string[] {
  try {
    return pathname.split('/').map(decodeURIComponent);
  } catch {
    throw new RequestProblem(404, 'no-path', 'There is nothing at this address.');
  }
}

/** Answers a request to the application: its path, query and body are checked as they are declared. */
export const serve = (request: Request): Promise<Response> =>
  respond(async () => {
    const { pathname, searchParams } = new URL(request.url);
    const asked = segmentsOf(pathname);
    const routes = ROUTES.filter((route) => parametersOf(route, asked) !== null);
    if (routes.length === 0) throw new RequestProblem(404, 'no-path', 'There is nothing at this address.');
    // A HEAD is answered as its GET, where it is not declared; what is sent has no body then.
    const route =
      routes.find(({ method }) => method === request.method) ??
      (request.method === 'HEAD' ? routes.find(({ method }) => method === 'GET') : undefined);
    if (route === undefined)
      throw new RequestProblem(405, 'no-method', `This address does not take ${request.method}.`);
    const { body, query, answer } = route.declared;
    const found = { planId: '', entryId: '', modelId: '', ...parametersOf(route, asked) };
    return answer({
      request,
      ...found,
      query: query && (await checked(Object.fromEntries(searchParams), query)),
      body: body && (await readRequest(request, body)),
    });
  });
