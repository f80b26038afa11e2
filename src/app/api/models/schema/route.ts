import { MODEL_FILE_SCHEMA } from '@/core/formats/model-file';

/** The JSON Schema of a file of models, for those who write or read such files with other tools. */
export const GET = () =>
  new Response(`${JSON.stringify(MODEL_FILE_SCHEMA, null, 2)}\n`, {
    headers: { 'content-type': 'application/schema+json' },
  });
