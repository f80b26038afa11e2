import { addNodeByAddress, removeNodeByAddress } from '@/server/field-places';
import { NodeAddressRequest } from '@/server/requests/requests';
import { readRequest } from '@/server/requests/read-request';
import { respond } from '@/server/respond';

/** Has a node read by its address from now on. */
export const POST = (request: Request) =>
  respond(async () => {
    const { author, address } = await readRequest(request, NodeAddressRequest);
    return addNodeByAddress({ ...author }, address);
  });

export const DELETE = (request: Request) =>
  respond(async () => removeNodeByAddress((await readRequest(request, NodeAddressRequest)).address));
