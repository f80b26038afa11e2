import { listPlans, newPlan } from '@/server/plans';
import { NewPlanRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { readRequest } from '@/server/requests/read-request';

export const dynamic = 'force-dynamic';

export const GET = () => respond(() => ({ plans: listPlans() }));

export const POST = (request: Request) =>
  respond(async () => {
    const { name, firstNetwork } = await readRequest(request, NewPlanRequest);
    return newPlan(name, firstNetwork);
  });
