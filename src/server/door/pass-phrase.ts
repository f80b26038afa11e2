import { createHash, randomBytes, timingSafeEqual } from 'node:crypto';
import { steadyNow } from '../../field/steady-clock';
import { GuessLine } from './guess-line';

/**
 * One phrase that everyone on a shared server knows, until there are accounts. Whoever knows it gets a key that their browser keeps; keys are
 * held in memory only, so that a server that starts again asks once more.
 */

export const KEY_COOKIE = 'jade-lane-key';
const KEY_LASTS_MS = 12 * 3_600_000;
const KEYS_MAX = 10_000;

const digest = (text: string): Buffer => createHash('sha256').update(text).digest();

export type Answer =
  | { readonly is: 'let-in'; readonly key: string; readonly lastsSeconds: number }
  | { readonly is: 'wrong' }
  | { readonly is: 'too-often' };

export class PassPhrase {
  private readonly expected: Buffer;
  private readonly keys = new Map<string, number>();

  constructor(
    passPhrase: string,
    private readonly line = new GuessLine(),
  ) {
    this.expected = digest(passPhrase);
  }

  /** Takes a phrase from an address, when it is its turn. A wrong one is answered late, and keeps its place until then; the right one lets in however many were wrong before. */
  async take(phrase: string, address: string): Promise<Answer> {
    const leave = await this.line.enter(address);
    if (leave === null) return { is: 'too-often' };
    if (!timingSafeEqual(digest(phrase), this.expected)) {
      await leave('wrong');
      return { is: 'wrong' };
    }
    await leave('right');
    const now = steadyNow();
    for (const [key, until] of this.keys) if (until <= now || this.keys.size >= KEYS_MAX) this.keys.delete(key);
    const key = randomBytes(32).toString('base64url');
    this.keys.set(key, now + KEY_LASTS_MS);
    return { is: 'let-in', key, lastsSeconds: KEY_LASTS_MS / 1000 };
  }

  /** Whether the cookies of a request hold a key that is good. */
  knows(cookies: string | undefined, now: number): boolean {
    const key = PassPhrase.keyIn(cookies);
    return key !== null && (this.keys.get(key) ?? 0) > now;
  }

  /** The key in the cookies of a request, good or not. */
  static keyIn(cookies: string | undefined): string | null {
    for (const part of (cookies ?? '').split(';')) {
      const [name, value] = part.trim().split('=');
      if (name === KEY_COOKIE && value !== undefined) return value;
    }
    return null;
  }
}
