import { readLibrary, saveToLibrary } from '@/server/library';
import { SaveModelsRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { readRequest } from '@/server/validate';

export const dynamic = 'force-dynamic';

/** The library of models in their newest versions. */
export const GET = () => respond(() => ({ models: readLibrary() }));

export const POST = (request: Request) =>
  respond(async () => {
    const { author, models, note } = await readRequest(request, SaveModelsRequest);
    return { models: saveToLibrary({ ...author }, models, note) };
  });
