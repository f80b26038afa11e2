import { answerAsItGoes } from '@/server/as-it-goes';
import type { LanesReport } from '@/server/messages';
import { SendRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { planIn, type PlanContext } from '@/server/route-context';
import { sendLanes } from '@/server/send-lanes';
import { readRequest } from '@/server/requests/read-request';

export const POST = (request: Request, { params }: PlanContext) =>
  respond(async () => {
    const wanted = await readRequest(request, SendRequest);
    const { channels, author, start, isRetry = false, id = null, inMs, momentBy = 'clock' } = wanted;
    const at = inMs === undefined ? {} : { at: { atMs: Date.now() + inMs, by: momentBy } };
    const planId = await planIn(params);
    return answerAsItGoes<LanesReport>(request, (tell) =>
      sendLanes(planId, channels, { ...author }, start, { id, isRetry, ...at, ...(tell ? { tell } : {}) }),
    );
  });
