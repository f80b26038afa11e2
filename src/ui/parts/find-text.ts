/**
 * How every filter and search field reads what is typed: words in any order, each at the beginning of a word; a number is that number
 * ("amp 1" is not Amp 10); what stands in quotes is looked for as it is. Where nothing passes so, words count anywhere, as before.
 */
export interface Search {
  /** Nothing is looked for: everything passes. */
  readonly isEmpty: boolean;
  /** 3: every term is a whole word; 2: each begins one; 1: each is in it somewhere; 0: does not pass. */
  readonly rank: (text: string) => 0 | 1 | 2 | 3;
}

interface Term {
  readonly text: string;
  readonly isQuoted: boolean;
}

const EVERYTHING: Search = { isEmpty: true, rank: () => 3 };

export function searchFor(typed: string): Search {
  const terms: Term[] = [];
  // A quote that is still open reaches to the end: one is typing it.
  for (const [, quoted, word] of typed.toLowerCase().matchAll(/"([^"]*)"?|([^\s"]+)/g)) {
    if (quoted !== undefined && quoted.trim() !== '') terms.push({ text: quoted.trim(), isQuoted: true });
    else if (word !== undefined) terms.push({ text: word, isQuoted: false });
  }
  if (terms.length === 0) return EVERYTHING;
  return {
    isEmpty: false,
    rank: (text) => {
      const lower = text.toLowerCase();
      let worst: 0 | 1 | 2 | 3 = 3;
      for (const term of terms) {
        const own = rankOf(lower, term);
        if (own === 0) return 0;
        if (own < worst) worst = own;
      }
      return worst;
    },
  };
}

const isLetterOrDigit = (c: string | undefined): boolean => c !== undefined && /[\p{L}\p{N}]/u.test(c);
const isDigit = (c: string | undefined): boolean => c !== undefined && c >= '0' && c <= '9';

/** "amp 1" finds Amp 01 too: zeros in front of a number make no other number. */
function isAtNumber(text: string, at: number): boolean {
  let start = at;
  while (text[start - 1] === '0') start -= 1;
  return !isDigit(text[start - 1]);
}

function rankOf(text: string, { text: term, isQuoted }: Term): 0 | 1 | 2 | 3 {
  let best: 0 | 1 | 2 | 3 = 0;
  const isNumber = /^\d+$/.test(term);
  for (let at = text.indexOf(term); at >= 0; at = text.indexOf(term, at + 1)) {
    if (isQuoted) return 3;
    const before = text[at - 1];
    const after = text[at + term.length];

    const isBegin = isNumber ? isAtNumber(text, at) : !isLetterOrDigit(before);
    const isEnd = !isLetterOrDigit(after);
    const rank = isBegin && isEnd ? 3 : isBegin && !(isNumber && isDigit(after)) ? 2 : 1;
    if (rank > best) best = rank;
    if (best === 3) return best;
  }
  return best;
}

/** The rows that pass, in their order: those that match word by word where there are any, else those that match anywhere. */
export function filtered<T>(rows: readonly T[], search: Search, textOf: (row: T) => string): readonly T[] {
  if (search.isEmpty) return rows;
  const ranks = rows.map((row) => search.rank(textOf(row)));
  const least = ranks.some((r) => r >= 2) ? 2 : 1;
  return rows.filter((_, n) => (ranks[n] as number) >= least);
}

/** The rows that pass, the best match first; among equals in their order. */
export function bestFirst<T>(rows: readonly T[], search: Search, textOf: (row: T) => string): readonly T[] {
  if (search.isEmpty) return rows;
  const byRank: [T[], T[], T[]] = [[], [], []];
  for (const row of rows) {
    const rank = search.rank(textOf(row));
    if (rank > 0) byRank[3 - rank]?.push(row);
  }
  return byRank.flat();
}
