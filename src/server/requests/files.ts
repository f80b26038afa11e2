/** A file that is saved under a name. */
export function inFile(name: string, content: BodyInit): Response {
  const headers = {
    'content-type': 'application/json',
    'content-disposition': `attachment; filename*=UTF-8''${encodeURIComponent(name)}`,
  };
  return new Response(content, { headers });
}

/** A JSON Schema, for those who write or read such files with other tools. */
export function schemaFile(schema: object): Response {
  const headers = { 'content-type': 'application/schema+json' };
  return new Response(`${JSON.stringify(schema, null, 2)}\n`, { headers });
}
