import { libraryVersions, removeFromLibrary } from '@/server/library';
import { RemoveModelRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import type { ModelContext } from '@/server/route-context';
import { readRequest } from '@/server/requests/read-request';

/** Every version of a model of the library. */
export const GET = (_: Request, { params }: ModelContext) =>
  respond(async () => ({ versions: libraryVersions((await params).modelId) }));

export const DELETE = (request: Request, { params }: ModelContext) =>
  respond(async () => {
    const { author, after } = await readRequest(request, RemoveModelRequest);
    return { models: removeFromLibrary({ ...author }, (await params).modelId, after) };
  });
