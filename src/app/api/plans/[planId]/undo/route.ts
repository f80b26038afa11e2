import { undo } from '@/server/edit';
import { UndoRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { planIn, type PlanContext } from '@/server/route-context';
import { readRequest } from '@/server/requests/read-request';
import { stepByStep } from '@/server/step-by-step';

export const POST = (request: Request, { params }: PlanContext) =>
  respond(async () => {
    const { author } = await readRequest(request, UndoRequest);
    return stepByStep(undo(await planIn(params), { ...author }));
  });
