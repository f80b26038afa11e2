import { ReadAnewRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { planIn, type PlanContext } from '@/server/route-context';
import { readAnew } from '@/server/send-lanes';
import { readRequest } from '@/server/requests/read-request';

export const POST = (request: Request, { params }: PlanContext) =>
  respond(async () => readAnew(await planIn(params), (await readRequest(request, ReadAnewRequest)).deviceId));
