import { applyBatch } from '@/server/edit';
import { BATCH_BODY, BatchRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { planIn, type PlanContext } from '@/server/route-context';
import { readRequest } from '@/server/requests/read-request';
import { stepByStep } from '@/server/step-by-step';

export const POST = (request: Request, { params }: PlanContext) =>
  respond(async () => {
    const { author, baseRevision, title, commands } = await readRequest(request, BatchRequest, BATCH_BODY);
    return stepByStep(applyBatch(await planIn(params), { author: { ...author }, baseRevision, title, commands }));
  });
