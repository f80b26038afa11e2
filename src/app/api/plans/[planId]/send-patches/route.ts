import type { PatchReport } from '@/field/send-patches';
import { answerAsItGoes } from '@/server/as-it-goes';
import { SendPatchesRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { planIn, type PlanContext } from '@/server/route-context';
import { sendDevicePatches } from '@/server/send-patches';
import { readRequest } from '@/server/requests/read-request';

export const POST = (request: Request, { params }: PlanContext) =>
  respond(async () => {
    const { deviceIds, author, isRetry = false, id = null } = await readRequest(request, SendPatchesRequest);
    const planId = await planIn(params);
    return answerAsItGoes<PatchReport>(request, (tell) =>
      sendDevicePatches(planId, deviceIds, author, { id, isRetry, ...(tell ? { tell } : {}) }),
    );
  });
