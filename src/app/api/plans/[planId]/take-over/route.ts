import { TakeOverRequest } from '@/server/requests/requests';
import { readRequest } from '@/server/requests/read-request';
import { respond } from '@/server/respond';
import { planIn, type PlanContext } from '@/server/route-context';
import { previewTakeOver, takeOver } from '@/server/take-over';

export const dynamic = 'force-dynamic';

export const GET = (_request: Request, { params }: PlanContext) =>
  respond(async () => previewTakeOver(await planIn(params)));

export const POST = (request: Request, { params }: PlanContext) =>
  respond(async () => {
    const { deviceIds, author } = await readRequest(request, TakeOverRequest);
    return takeOver(await planIn(params), deviceIds, author);
  });
