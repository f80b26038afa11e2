import { openPlanFile } from '@/server/plans';
import { respond } from '@/server/respond';

/** A plan file becomes a plan of its own. */
export const POST = (request: Request) => respond(() => openPlanFile(request));
