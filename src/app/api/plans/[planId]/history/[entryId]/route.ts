import { historyEntry } from '@/server/history';
import { respond } from '@/server/respond';
import { entryIdOf, type EntryContext } from '@/server/route-context';

export const dynamic = 'force-dynamic';

export const GET = (_: Request, { params }: EntryContext) =>
  respond(async () => {
    const { planId, entryId } = await params;
    return historyEntry(planId, entryIdOf(entryId));
  });
