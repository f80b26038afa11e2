import { historyEntry } from '@/server/history';
import { respond } from '@/server/respond';
import { entryIdOf, planIn, type EntryContext } from '@/server/route-context';

export const dynamic = 'force-dynamic';

export const GET = (_: Request, { params }: EntryContext) =>
  respond(async () => {
    const { entryId } = await params;
    const planId = await planIn(params);
    return historyEntry(planId, entryIdOf(entryId));
  });
