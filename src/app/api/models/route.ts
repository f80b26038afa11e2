import { readLibrary, saveToLibrary } from '@/server/library';
import { MODELS_BODY, SaveModelsRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { readRequest } from '@/server/requests/read-request';

export const dynamic = 'force-dynamic';

/** The library of models in their newest versions. */
export const GET = () => respond(() => ({ models: readLibrary() }));

export const POST = (request: Request) =>
  respond(async () => {
    const { author, models, note } = await readRequest(request, SaveModelsRequest, MODELS_BODY);
    return { models: saveToLibrary({ ...author }, models, note) };
  });
