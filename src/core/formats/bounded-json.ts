/** JSON from outside, held to limits before anything is made of it. */

export interface JsonLimits {
  /** How deep objects and lists stand within one another. */
  readonly depth: number;
  /** How many values there are in all, those within others included. */
  readonly values: number;
}

type JsonResult =
  | { readonly ok: true; readonly value: unknown }
  /** `problem` goes after “is”; `detail` quotes what stands there, for whoever wrote it. */
  | { readonly ok: false; readonly problem: string; readonly detail?: string };

const QUOTE = 0x22;
const COMMA = 0x2c;
const BACKSLASH = 0x5c;
const [OPEN_LIST, CLOSE_LIST, OPEN_OBJECT, CLOSE_OBJECT] = [0x5b, 0x5d, 0x7b, 0x7d];

/** Parses a text, unless it is deeper or holds more values than allowed. It is looked through once, without making anything. */
export function parseBoundedJson(text: string, { depth, values }: JsonLimits): JsonResult {
  let level = 0;
  // Every comma and every list or object that begins brings at most one value more.
  let count = 1;
  for (let at = 0; at < text.length; at += 1) {
    const code = text.charCodeAt(at);
    if (code === QUOTE) {
      for (at += 1; at < text.length; at += 1) {
        const inside = text.charCodeAt(at);
        if (inside === BACKSLASH) at += 1;
        else if (inside === QUOTE) break;
      }
    } else if (code === COMMA) {
      count += 1;
    } else if (code === OPEN_LIST || code === OPEN_OBJECT) {
      level += 1;
      count += 1;
      if (level > depth) return { ok: false, problem: `nested more than ${depth} deep` };
    } else if (code === CLOSE_LIST || code === CLOSE_OBJECT) {
      level -= 1;
    }
    if (count > values) return { ok: false, problem: `made of more than ${values} values` };
  }
  try {
    return { ok: true, value: JSON.parse(text) as unknown };
  } catch (error) {
    return { ok: false, problem: 'not JSON', detail: (error as Error).message };
  }
}
