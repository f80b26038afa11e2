import { savedPlanFile } from '@/server/plans';
import { inPieces } from '@/server/in-pieces';
import { respond } from '@/server/respond';
import { planIn, type PlanContext } from '@/server/route-context';

export const dynamic = 'force-dynamic';

/** The whole plan as one file, to be saved. */
export const GET = (_request: Request, { params }: PlanContext) =>
  respond(async () => {
    const { name, parts } = await savedPlanFile(await planIn(params));
    return new Response(inPieces(parts), {
      headers: {
        'content-type': 'application/json',
        'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(`${name}.plan.json`)}`,
      },
    });
  });
