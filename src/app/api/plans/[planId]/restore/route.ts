import { restorePlan } from '@/server/plans';
import { respond } from '@/server/respond';
import type { PlanContext } from '@/server/route-context';

export const POST = (_request: Request, { params }: PlanContext) =>
  respond(async () => restorePlan((await params).planId));
