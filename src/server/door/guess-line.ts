/** So many guesses are tried at once, of all addresses: with the time that a wrong one takes, so many a second. */
const AT_ONCE = 10;
/** So long a wrong guess keeps its place. After the first few of an address each takes twice as long as the one before. */
const HELD_MS = 1000;
const HELD_MAX_MS = 30_000;
const QUICK = 5;
const FORGOTTEN_AFTER_MS = 10 * 60_000;
/** So many may wait for their turn, in all and of one address. */
const WAITING_MAX = 500;
const WAITING_OF_ADDRESS = 5;
const ADDRESSES_MAX = 10_000;

type Came = 'right' | 'wrong';
/** Gives the place back: at once where the guess was right, and after a while where it was wrong. */
type Leave = (came: Came) => Promise<void>;
interface Waiting {
  readonly address: string;
  readonly go: (leave: Leave) => void;
}

/**
 * Where guesses at the pass phrase wait for their turn. What slows them is that a wrong one keeps its place: guesses from many addresses share the same few places, and
 * of one address one is tried at a time. Nobody is locked out by what others guess, or by what they themselves mistyped.
 */
export class GuessLine {
  private readonly waiting: Waiting[] = [];
  private readonly tried = new Set<string>();
  private readonly wrong = new Map<string, { readonly count: number; readonly at: number }>();

  constructor(private readonly heldMs = HELD_MS) {}

  /** Resolves when it is this guess's turn; null: too many wait already. */
  enter(address: string): Promise<Leave | null> {
    const own = this.waiting.filter((w) => w.address === address).length;
    if (own >= WAITING_OF_ADDRESS || this.waiting.length >= WAITING_MAX) return Promise.resolve(null);
    return new Promise((go) => {
      this.waiting.push({ address, go });
      this.next();
    });
  }

  private next(): void {
    for (;;) {
      const at = this.tried.size < AT_ONCE ? this.waiting.findIndex((w) => !this.tried.has(w.address)) : -1;
      const [first] = at < 0 ? [] : this.waiting.splice(at, 1);
      if (first === undefined) return;
      const { address, go } = first;
      this.tried.add(address);
      go(async (came) => {
        if (came === 'wrong') await new Promise<void>((resolve) => setTimeout(resolve, this.heldFor(address)).unref());
        else this.wrong.delete(address);
        this.tried.delete(address);
        this.next();
      });
    }
  }

  /** How long a wrong guess of this address keeps its place; it is one more. */
  private heldFor(address: string): number {
    const now = performance.now();
    const before = this.wrong.get(address);
    const count = before === undefined || now - before.at > FORGOTTEN_AFTER_MS ? 1 : before.count + 1;
    // Those who guessed last are remembered.
    this.wrong.delete(address);
    if (this.wrong.size >= ADDRESSES_MAX) this.wrong.delete(this.wrong.keys().next().value as string);
    this.wrong.set(address, { count, at: now });
    return Math.min(HELD_MAX_MS, this.heldMs * 2 ** Math.max(0, count - QUICK));
  }
}
