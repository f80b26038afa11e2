import { PreviewPatchesRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import type { PlanContext } from '@/server/route-context';
import { previewPatches } from '@/server/send-patches';
import { readRequest } from '@/server/requests/read-request';

export const POST = (request: Request, { params }: PlanContext) =>
  respond(async () =>
    previewPatches((await params).planId, (await readRequest(request, PreviewPatchesRequest)).deviceIds),
  );
