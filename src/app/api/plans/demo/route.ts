import { demoPlan } from '@/server/plans';
import { respond } from '@/server/respond';

export const POST = () => respond(demoPlan);
