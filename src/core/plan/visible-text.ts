/**
 * Characters that cannot be seen, or that turn the order of those around them: a name that holds one looks like another name. Control
 * characters, separators of lines and paragraphs, marks of writing direction, what has no width and joins nothing, fillers, tags, and halves
 * of characters (lone surrogates), which are no text at all. Joiners and variation selectors stay: scripts and signs are written with them.
 */
const HIDDEN = [
  ...['\\u0000-\\u0008', '\\u000B', '\\u000C', '\\u000E-\\u001F', '\\u007F-\\u009F', '\\u00AD', '\\u034F', '\\u061C'],
  ...[
    '\\u115F',
    '\\u1160',
    '\\u17B4',
    '\\u17B5',
    '\\u180B-\\u180E',
    '\\u200B',
    '\\u200E',
    '\\u200F',
    '\\u2028-\\u202E',
  ],
  ...['\\u2060-\\u206F', '\\u2800', '\\u3164', '\\uD800-\\uDFFF', '\\uFEFF', '\\uFFA0', '\\uFFF0-\\uFFFB'],
  '\\u{E0000}-\\u{E007F}',
].join('');
const OF_LINES = '\\t\\n\\r';
/** What stays, and shows nothing by itself. */
const BLANK = '\\s\\u200C\\u200D\\uFE00-\\uFE0F';

/** One character that shows nothing, as a class. */
export const HIDDEN_OR_BLANK = `[${HIDDEN}${BLANK}]`;

/** As a pattern of JSON Schema: names and labels, on one line. One that is not empty shows something. */
export const VISIBLE_LINE = `^(?:(?=.*[^${BLANK}])[^${HIDDEN}${OF_LINES}]*)?$`;
/** Notes may have several lines. */
export const VISIBLE_LINES = `^[^${HIDDEN}]*$`;

const IN_LINE = new RegExp(`[${HIDDEN}${OF_LINES}]`, 'gu');
const IN_LINES = new RegExp(`[${HIDDEN}]`, 'gu');
const ONLY_BLANK = new RegExp(`^[${BLANK}]+$`, 'u');
/** Whether there is text of which nothing can be seen. */
export const isBlank = (text: string): boolean => ONLY_BLANK.test(text);

/** The text with a sign in the place of every character that cannot be seen. */
export const visible = (text: string, hasLines = false): string =>
  text.replace(hasLines ? IN_LINES : IN_LINE, '\uFFFD');

/** Makes every text within a value visible, in place. */
export function makeVisible(value: unknown): void {
  if (typeof value !== 'object' || value === null) return;
  for (const [name, inside] of Object.entries(value)) {
    if (typeof inside === 'string') {
      const hasLines = name === 'notes';
      const shown = !hasLines && isBlank(inside) ? '\uFFFD' : visible(inside, hasLines);
      if (shown !== inside) (value as Record<string, unknown>)[name] = shown;
    } else makeVisible(inside);
  }
}

const MAY_HIDE = new RegExp(`\\\\[ubfnrt]|"[${BLANK}]+"|[${HIDDEN}]`, 'u');

/** Whether the text of a JSON document may hold any such character, as it is or escaped. */
export const mayHide = (json: string): boolean => MAY_HIDE.test(json);
