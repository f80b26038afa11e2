import { copyPlan } from '@/server/plans';
import { PlanNameRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import type { PlanContext } from '@/server/route-context';
import { readRequest } from '@/server/requests/read-request';

export const POST = (request: Request, { params }: PlanContext) =>
  respond(async () => copyPlan(request, (await params).planId, (await readRequest(request, PlanNameRequest)).name));
