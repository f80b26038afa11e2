import { readPlan, removePlan } from '@/server/plans';
import { inPieces } from '@/server/in-pieces';
import { respond } from '@/server/respond';
import { planIn, type PlanContext } from '@/server/route-context';

export const dynamic = 'force-dynamic';

export const GET = (request: Request, { params }: PlanContext) =>
  respond(async () => {
    const parts = await readPlan(await planIn(params), new URL(request.url).searchParams.get('author') ?? '');
    return new Response(inPieces(parts), { headers: { 'content-type': 'application/json' } });
  });

export const DELETE = (_request: Request, { params }: PlanContext) =>
  respond(async () => removePlan(await planIn(params)));
