import { TakeOverRequest } from '@/server/requests/requests';
import { readRequest } from '@/server/requests/read-request';
import { respond } from '@/server/respond';
import type { PlanContext } from '@/server/route-context';
import { previewTakeOver, takeOver } from '@/server/take-over';

export const dynamic = 'force-dynamic';

export const GET = (_request: Request, { params }: PlanContext) =>
  respond(async () => previewTakeOver((await params).planId));

export const POST = (request: Request, { params }: PlanContext) =>
  respond(async () => {
    const { deviceIds, author } = await readRequest(request, TakeOverRequest);
    return takeOver((await params).planId, deviceIds, author);
  });
