import { history } from '@/server/history';
import { HistoryRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { planIn, type PlanContext } from '@/server/route-context';
import { checked } from '@/server/validate';

export const dynamic = 'force-dynamic';

export const GET = (request: Request, { params }: PlanContext) =>
  respond(async () => {
    const query = Object.fromEntries(new URL(request.url).searchParams);
    return history(await planIn(params), { ...(await checked(query, HistoryRequest)) });
  });
