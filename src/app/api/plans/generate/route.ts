import { generatedPlan } from '@/server/plans';
import { GeneratePlanRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { readRequest } from '@/server/requests/read-request';

export const POST = (request: Request) =>
  respond(async () => {
    const { devices, seed } = await readRequest(request, GeneratePlanRequest);
    return generatedPlan(request, devices, seed);
  });
