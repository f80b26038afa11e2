import { PLAN_FILE_SCHEMA } from '@/core/formats/read-plan-file';

/** The JSON Schema of a plan file, for those who write or read such files with other tools. */
export const GET = () =>
  new Response(`${JSON.stringify(PLAN_FILE_SCHEMA, null, 2)}\n`, {
    headers: { 'content-type': 'application/schema+json' },
  });
