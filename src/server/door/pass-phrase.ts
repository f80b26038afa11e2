import { createHash, randomBytes, timingSafeEqual } from 'node:crypto';

/**
 * One phrase that everyone on a shared server knows, until there are accounts. Whoever knows it gets a key that their browser keeps; keys are
 * held in memory only, so that a server that starts anew asks once more.
 */

export const KEY_COOKIE = 'jade-lane-key';
const KEY_LASTS_MS = 12 * 3_600_000;
const KEYS_MAX = 10_000;
/** So many wrong ones from one address in a minute; after that it is told to wait. */
const WRONG_MAX = 5;
const WRONG_WITHIN_MS = 60_000;
const ADDRESSES_MAX = 10_000;

const digest = (text: string): Buffer => createHash('sha256').update(text).digest();

export type Answer =
  | { readonly is: 'let-in'; readonly key: string; readonly lastsSeconds: number }
  | { readonly is: 'wrong' }
  | { readonly is: 'too-often'; readonly waitSeconds: number };

export class PassPhrase {
  private readonly expected: Buffer;
  private readonly keys = new Map<string, number>();
  private readonly wrong = new Map<string, number[]>();

  constructor(passPhrase: string) {
    this.expected = digest(passPhrase);
  }

  /** Takes a phrase from an address. Times are given, so that it needs no clock. */
  take(phrase: string, address: string, now: number): Answer {
    const wrong = (this.wrong.get(address) ?? []).filter((at) => now - at < WRONG_WITHIN_MS);
    if (wrong.length >= WRONG_MAX) {
      const waitSeconds = Math.ceil(((wrong[0] as number) + WRONG_WITHIN_MS - now) / 1000);
      return { is: 'too-often', waitSeconds };
    }
    if (!timingSafeEqual(digest(phrase), this.expected)) {
      if (this.wrong.size >= ADDRESSES_MAX) this.wrong.clear();
      this.wrong.set(address, [...wrong, now]);
      return { is: 'wrong' };
    }
    this.wrong.delete(address);
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
