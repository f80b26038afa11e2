import { makeVisible, mayHide } from '../plan/visible-text';
import { parseBoundedJson, type JsonLimits } from './bounded-json';
import type { ShapeProblem } from './shape-check';

type DocumentResult =
  | { readonly ok: true; readonly document: unknown }
  | { readonly ok: false; readonly problems: readonly ShapeProblem[] };

/** The JSON document in the text of a file, held to limits; characters that cannot be seen are shown by signs. */
export function readDocument(content: string, limits: JsonLimits): DocumentResult {
  const parsed = parseBoundedJson(content, limits);
  if (!parsed.ok) {
    const { problem, detail } = parsed;
    return { ok: false, problems: [{ at: '/', problem: detail === undefined ? problem : `${problem}: ${detail}` }] };
  }
  if (mayHide(content)) makeVisible(parsed.value);
  return { ok: true, document: parsed.value };
}
