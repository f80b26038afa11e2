import { openPlanFile } from '@/server/plans';
import { respond } from '@/server/respond';
import { readBody } from '@/server/validate';
import { PLAN_FILE_MAX_BYTES } from '@/core/formats/plan-file';

/** A plan file becomes a plan of its own. */
export const POST = (request: Request) =>
  respond(async () => openPlanFile(await readBody(request, PLAN_FILE_MAX_BYTES)));
