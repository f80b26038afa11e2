import { savedResources } from '@/server/field-file';
import { respond } from '@/server/respond';
import { planIn, type PlanContext } from '@/server/route-context';

export const dynamic = 'force-dynamic';

/** What the registry tells now, as a file of NMOS resources. */
export const GET = (_request: Request, { params }: PlanContext) =>
  respond(async () => {
    const text = await savedResources(await planIn(params));
    return new Response(text, {
      headers: {
        'content-type': 'application/json',
        'content-disposition': 'attachment; filename="nmos-resources.json"',
      },
    });
  });
