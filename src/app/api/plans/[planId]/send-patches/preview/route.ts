import { PreviewPatchesRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { planIn, type PlanContext } from '@/server/route-context';
import { previewPatches } from '@/server/send-patches';
import { readRequest } from '@/server/requests/read-request';

export const POST = (request: Request, { params }: PlanContext) =>
  respond(async () =>
    previewPatches(await planIn(params), (await readRequest(request, PreviewPatchesRequest)).deviceIds),
  );
