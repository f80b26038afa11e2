import { redo } from '@/server/edit';
import { UndoRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { planIn, type PlanContext } from '@/server/route-context';
import { readRequest } from '@/server/requests/read-request';

export const POST = (request: Request, { params }: PlanContext) =>
  respond(async () => redo(await planIn(params), { ...(await readRequest(request, UndoRequest)).author }));
