import { SendPreviewRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import type { PlanContext } from '@/server/route-context';
import { previewSend } from '@/server/send-lanes';
import { readRequest } from '@/server/requests/read-request';

export const POST = (request: Request, { params }: PlanContext) =>
  respond(async () => previewSend((await params).planId, (await readRequest(request, SendPreviewRequest)).channels));
