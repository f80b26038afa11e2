import { StopSendingRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { stopSending } from '@/server/field-to-tell';
import { readRequest } from '@/server/requests/read-request';

/** Lets a send that is under way begin with no more devices. */
export const POST = (request: Request) =>
  respond(async () => ({ isStopping: stopSending((await readRequest(request, StopSendingRequest)).id) }));
