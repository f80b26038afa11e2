import { SendPreviewRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { planIn, type PlanContext } from '@/server/route-context';
import { previewSend } from '@/server/send-lanes';
import { readRequest } from '@/server/requests/read-request';

export const POST = (request: Request, { params }: PlanContext) =>
  respond(async () => previewSend(await planIn(params), (await readRequest(request, SendPreviewRequest)).channels));
