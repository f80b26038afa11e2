import { openModelFile } from '@/server/library';
import { MODEL_FILE_BODY, ModelFileRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { readRequest } from '@/server/requests/read-request';

/** The models of a file become versions in the library. */
export const POST = (request: Request) =>
  respond(async () => {
    const { author, content, note } = await readRequest(request, ModelFileRequest, MODEL_FILE_BODY);
    return openModelFile({ ...author }, content, note);
  });
