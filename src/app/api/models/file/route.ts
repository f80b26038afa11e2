import { MODEL_FILE_MAX_BYTES } from '@/core/formats/model-file';
import { openModelFile } from '@/server/library';
import { ModelFileRequest } from '@/server/requests/requests';
import { respond } from '@/server/respond';
import { readRequest } from '@/server/validate';

/** As JSON within JSON every quotation mark takes two octets. */
const BODY_MAX_BYTES = 2 * MODEL_FILE_MAX_BYTES;

/** The models of a file become versions in the library. */
export const POST = (request: Request) =>
  respond(async () => {
    const { author, content, note } = await readRequest(request, ModelFileRequest, BODY_MAX_BYTES);
    return openModelFile({ ...author }, content, note);
  });
