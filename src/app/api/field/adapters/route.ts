import { chooseAdapters } from '@/server/field-places';
import { AdaptersRequest } from '@/server/requests/requests';
import { readRequest } from '@/server/requests/read-request';
import { respond } from '@/server/respond';

/** Says by which adapters of this computer devices are talked to. */
export const PUT = (request: Request) =>
  respond(async () => {
    const { author, names } = await readRequest(request, AdaptersRequest);
    return chooseAdapters({ ...author }, names);
  });
