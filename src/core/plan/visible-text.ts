/**
 * Characters that cannot be seen, or that turn the order of those around them: a name that holds one looks like another name. Control
 * characters, separators of lines and paragraphs, and the marks of writing direction.
 */
const HIDDEN =
  '\\u0000-\\u0008\\u000B\\u000C\\u000E-\\u001F\\u007F-\\u009F\\u061C\\u200E\\u200F\\u2028-\\u202E\\u2066-\\u2069';
const OF_LINES = '\\t\\n\\r';

/** As a pattern of JSON Schema: names and labels, on one line. */
export const VISIBLE_LINE = `^[^${HIDDEN}${OF_LINES}]*$`;
/** Notes may have several lines. */
export const VISIBLE_LINES = `^[^${HIDDEN}]*$`;

const IN_LINE = new RegExp(`[${HIDDEN}${OF_LINES}]`, 'g');
const IN_LINES = new RegExp(`[${HIDDEN}]`, 'g');

/** The text with a sign in the place of every character that cannot be seen. */
export const visible = (text: string, hasLines = false): string =>
  text.replace(hasLines ? IN_LINES : IN_LINE, '\uFFFD');

/** Makes every text within a value visible, in place. */
export function makeVisible(value: unknown): void {
  if (typeof value !== 'object' || value === null) return;
  for (const [name, inside] of Object.entries(value)) {
    if (typeof inside === 'string') {
      const shown = visible(inside, name === 'notes');
      if (shown !== inside) (value as Record<string, unknown>)[name] = shown;
    } else makeVisible(inside);
  }
}

const MAY_HIDE = new RegExp(`\\\\[ubfnrt]|[${HIDDEN}]`);

/** Whether the text of a JSON document may hold any such character, as it is or escaped. */
export const mayHide = (json: string): boolean => MAY_HIDE.test(json);
