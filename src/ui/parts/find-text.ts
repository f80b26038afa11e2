import UFuzzy from '@leeoniya/ufuzzy';

/**
 * How every filter and search field reads what is typed: words in any order, each at the beginning of a word; a number is that number
 * ("amp 1" is not Amp 10); what stands in quotes is looked for as it is. Where nothing passes so, words count anywhere; where nothing passes at all,
 * a word may have one slip of the keyboard.
 */
export interface Search {
  /** Nothing is looked for: everything passes. */
  readonly isEmpty: boolean;
  readonly typed: string;
  /** A number after a word: "dome amp 5" is that amplifier, and not channel 5 of another. */
  readonly isNumbered: boolean;
  readonly rank: (text: string) => Rank;
}

/** 4: the words stand beside each other as typed; 3: every term is a whole word; 2: each begins one; 1: each is in it somewhere; 0: does not pass. */
export type Rank = 0 | 1 | 2 | 3 | 4;

interface Term {
  readonly text: string;
  readonly isQuoted: boolean;
}

const EVERYTHING: Search = { isEmpty: true, typed: '', isNumbered: false, rank: () => 4 };

export function searchFor(typed: string): Search {
  const terms: Term[] = [];
  // A quote that is still open reaches to the end: one is typing it.
  for (const [, quoted, word] of typed.toLowerCase().matchAll(/"([^"]*)"?|([^\s"]+)/g)) {
    if (quoted !== undefined && quoted.trim() !== '') terms.push({ text: quoted.trim(), isQuoted: true });
    else if (word !== undefined) terms.push({ text: word, isQuoted: false });
  }
  if (terms.length === 0) return EVERYTHING;
  const words = terms.map(({ text }) => text);
  const asTyped = besideEachOther(words);
  return {
    isEmpty: false,
    typed,
    isNumbered: words.length > 1 && words.some((word) => /^\d+$/.test(word)),
    rank: (text) => {
      const lower = text.toLowerCase();
      let worst: Rank = 3;
      for (const term of terms) {
        const own = rankOf(lower, term);
        if (own === 0) return 0;
        if (own < worst) worst = own;
      }
      return worst === 3 && asTyped.test(lower) ? 4 : worst;
    },
  };
}

/** Words one after the other, with nothing but signs between them; zeros in front of a number make no other number. */
function besideEachOther(words: readonly string[]): RegExp {
  const each = words.map((w) => `${/^\d/.test(w) ? '0*' : ''}${w.replace(/[.*+?^${}()|[\]\\/]/g, '\\$&')}`);
  return new RegExp(`(?<![\\p{L}\\p{N}])${each.join('[^\\p{L}\\p{N}]+')}(?![\\p{L}\\p{N}])`, 'u');
}

const isLetterOrDigit = (c: string | undefined): boolean => c !== undefined && /[\p{L}\p{N}]/u.test(c);
const isDigit = (c: string | undefined): boolean => c !== undefined && c >= '0' && c <= '9';

/** "amp 1" finds Amp 01 too: zeros in front of a number make no other number. */
function isAtNumber(text: string, at: number): boolean {
  let start = at;
  while (text[start - 1] === '0') start -= 1;
  return !isDigit(text[start - 1]);
}

function rankOf(text: string, { text: term, isQuoted }: Term): Exclude<Rank, 4> {
  let best: Exclude<Rank, 4> = 0;
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

/** The least rank that is shown where the best is this: what matches better hides what only matches within words, or has the number elsewhere. */
export const leastShown = ({ isNumbered }: Search, best: Rank): Rank =>
  best === 4 && isNumbered ? 4 : best >= 2 ? 2 : 1;

/** The rows that pass, in their order: those that match best where there are any, else those that match anywhere. */
export function filtered<T>(rows: readonly T[], search: Search, textOf: (row: T) => string): readonly T[] {
  if (search.isEmpty) return rows;
  const texts = rows.map(textOf);
  const ranks = texts.map((text) => search.rank(text));
  const best = ranks.reduce((most, r) => (r > most ? r : most), 0);
  if (best === 0) return withSlips(search, texts).map((n) => rows[n] as T);
  const least = leastShown(search, best);
  return rows.filter((_, n) => (ranks[n] as number) >= least);
}

/** The rows that pass, the best match first; among equals in their order. */
export function bestFirst<T>(rows: readonly T[], search: Search, textOf: (row: T) => string): readonly T[] {
  if (search.isEmpty) return rows;
  const byRank: [T[], T[], T[], T[]] = [[], [], [], []];
  for (const row of rows) {
    const rank = search.rank(textOf(row));
    if (rank > 0) byRank[4 - rank]?.push(row);
  }
  const found = byRank.flat();
  return found.length > 0 ? found : withSlips(search, rows.map(textOf)).map((n) => rows[n] as T);
}

const SLIPS = new UFuzzy({ unicode: true, intraMode: 1, intraSub: 1, intraTrn: 1, intraDel: 1, intraIns: 1 });

/**
 * Places of the texts that pass where each word of letters may have one letter too many, too few, wrong or exchanged with its neighbour; in their order.
 * Numbers are what they are.
 */
export function withSlips({ typed }: Search, texts: readonly string[]): readonly number[] {
  if (!/\p{L}{3}/u.test(typed)) return [];
  const [found] = SLIPS.search([...texts], typed.replaceAll('"', ' '), 1);
  const numbers = searchFor((typed.match(/\d+/g) ?? []).join(' '));
  return [...(found ?? [])].filter((n) => numbers.rank(texts[n] as string) >= 2).sort((a, b) => a - b);
}
