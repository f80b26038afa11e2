import { takeStepBack } from '@/server/history';
import { TakeBackRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { entryIdOf, planIn, type EntryContext } from '@/server/route-context';
import { readRequest } from '@/server/requests/read-request';
import { stepByStep } from '@/server/step-by-step';

export const POST = (request: Request, { params }: EntryContext) =>
  respond(async () => {
    const { entryId } = await params;
    const planId = await planIn(params);
    const { author, records } = await readRequest(request, TakeBackRequest);
    return stepByStep(takeStepBack(planId, entryIdOf(entryId), { ...author }, records ?? null));
  });
