import { SendRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import type { PlanContext } from '@/server/route-context';
import { sendLanes } from '@/server/send-lanes';
import { readRequest } from '@/server/validate';

export const POST = (request: Request, { params }: PlanContext) =>
  respond(async () => {
    const { channels, author, start } = await readRequest(request, SendRequest);
    return sendLanes((await params).planId, channels, { ...author }, start);
  });
