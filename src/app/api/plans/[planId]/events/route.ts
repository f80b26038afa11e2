import { openSession } from '@/server/edit';
import { watchPlan } from '@/server/event-stream';
import { AuthorRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { planIn, type PlanContext } from '@/server/route-context';
import { checked } from '@/server/validate';

export const dynamic = 'force-dynamic';

const HEADERS = {
  'content-type': 'text/event-stream',
  'cache-control': 'no-store, no-transform',
  'x-accel-buffering': 'no',
};

/** What a GET would answer, without a browser that is watching. */
export const HEAD = (_request: Request, { params }: PlanContext) =>
  respond(async () => {
    openSession(await planIn(params));
    return new Response(null, { headers: HEADERS });
  });

/** Server-sent events: every change of the plan and of the field, and who else is here. */
export const GET = (request: Request, { params }: PlanContext) =>
  respond(async () => {
    const session = openSession(await planIn(params));
    const query = new URL(request.url).searchParams;
    const { id, name } = await checked({ id: query.get('author'), name: query.get('name') }, AuthorRequest);
    return new Response(watchPlan(session, { id, name }, request.signal), { headers: HEADERS });
  });
