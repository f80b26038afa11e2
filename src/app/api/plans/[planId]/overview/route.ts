import { planOverview } from '@/server/overview';
import { respond } from '@/server/respond';
import type { PlanContext } from '@/server/route-context';

export const dynamic = 'force-dynamic';

export const GET = (_request: Request, { params }: PlanContext) =>
  respond(async () => planOverview((await params).planId));
