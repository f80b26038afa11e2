/** The problem of what was typed into a field, in words; null: none. */
export type Check = (text: string) => string | null;

export const wholeFrom =
  (min: number, max: number): Check =>
  (text) => {
    const value = Number(text);
    return text.trim() !== '' && Number.isInteger(value) && value >= min && value <= max
      ? null
      : `From ${min} to ${max}.`;
  };

/** An empty field says nothing, and that is allowed. */
export const orNothing =
  (check: Check): Check =>
  (text) =>
    text.trim() === '' ? null : check(text);

export const fromZeroUp: Check = (text) =>
  text.trim() !== '' && Number.isFinite(Number(text)) && Number(text) >= 0 ? null : 'A number from 0 up.';

/** The longest name that a plan file takes is 200; a number may be put behind it. */
export const nameOf =
  (what: string): Check =>
  (text) =>
    text.trim() === '' ? `A ${what} needs a name.` : text.trim().length > 190 ? 'At most 190 characters.' : null;
