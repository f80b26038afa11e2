const COLLATOR = new Intl.Collator('en', { numeric: true });

/** The order of names for people: letters as in a dictionary, numbers as numbers ("Amp 2" before "Amp 10"). */
export const compareNames = (a: string, b: string): number => COLLATOR.compare(a, b);

/** What has a name, in the order of names. */
export const byName = (a: { readonly name: string }, b: { readonly name: string }): number =>
  COLLATOR.compare(a.name, b.name);
