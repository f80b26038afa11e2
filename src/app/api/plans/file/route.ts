import { PLAN_FILE_MAX_BYTES } from '@/core/formats/plan-file';
import { openPlanFile } from '@/server/plans';
import { readPlanRequest } from '@/server/requests/read-request';
import { respond } from '@/server/respond';

/** A plan file becomes a plan of its own. */
export const POST = (request: Request) =>
  respond(async () => openPlanFile(await readPlanRequest(request, PLAN_FILE_MAX_BYTES)));
