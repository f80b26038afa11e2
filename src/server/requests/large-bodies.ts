import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { Worker } from 'node:worker_threads';
import { RequestProblem } from '../problem';
import { readLarge, type LargeAnswer, type LargeJob } from './read-large';

/** So many people may send something large at once; each one thing. */
const SENDERS_MAX = 64;
/** So much of large bodies is held, while they come and until they were read. */
const HELD_MAX_BYTES = 256 * 1024 * 1024;
const WITHIN_MS = 60_000;
const MEMORY_MAX_MB = 1024;
/** A thread keeps what it once took of memory: after so long without work it is let go. */
const IDLE_MS = 30_000;
/** Where the build puts it. */
const workerFile = () => join(process.cwd(), 'build', 'src-server-requests-large.worker.mjs');

const tooMany = () =>
  new RequestProblem(429, 'too-many', 'Too much that is large is being read. Try again in a minute.');

type Ended = (answer: LargeAnswer) => void;

/**
 * Reads and checks large bodies one after the other on a thread of its own, so that nobody else waits for them. Each has its place there once all of it
 * came: nobody waits for a line that is slow. Of each person there is one at a time. A body that takes too long or too much memory is refused, and the thread is made again, as it is when one comes after a while without any.
 */
export class LargeBodies {
  private readonly senders = new Set<string>();
  private heldBytes = 0;
  private last: Promise<unknown> = Promise.resolve();
  private worker: Worker | null = null;
  private idle: NodeJS.Timeout | null = null;

  constructor(private readonly idleMs = IDLE_MS) {}

  /** Whether there is a thread now. */
  get hasThread(): boolean {
    return this.worker !== null;
  }

  /**
   * Notes that somebody sends something large. `hold` is called with what came of it, `leave` when it was read.
   * Throws a problem with status 429 where they send something large already, or where too much is held.
   */
  enter(sender: string): { readonly hold: (bytes: number) => void; readonly leave: () => void } {
    if (this.senders.has(sender)) {
      throw new RequestProblem(
        429,
        'one-at-a-time',
        'Something large of yours is being read already. Try again after it.',
      );
    }
    if (this.senders.size >= SENDERS_MAX) throw tooMany();
    this.senders.add(sender);
    let own = 0;
    return {
      hold: (bytes) => {
        if (this.heldBytes + bytes > HELD_MAX_BYTES) throw tooMany();
        own += bytes;
        this.heldBytes += bytes;
      },
      leave: () => {
        this.senders.delete(sender);
        this.heldBytes -= own;
        own = 0;
      },
    };
  }

  async read(job: LargeJob, octets: Uint8Array): Promise<unknown> {
    // Where nothing was built, as in tests of single parts, it is read here.
    const run = () => (existsSync(workerFile()) ? this.ask(job, octets) : readLarge(job, octets));
    const answering = this.last.then(run);
    this.last = answering.catch(() => undefined);
    const answer = await answering;
    if (answer.ok) return answer.value;
    const { status, code, message, field, details } = answer.problem;
    throw new RequestProblem(status, code, message, field, details);
  }

  private ask(job: LargeJob, octets: Uint8Array): Promise<LargeAnswer> {
    const worker = (this.worker ??= new Worker(workerFile(), {
      resourceLimits: { maxOldGenerationSizeMb: MEMORY_MAX_MB },
    }));
    worker.unref();
    if (this.idle !== null) clearTimeout(this.idle);
    // One that fails between two bodies is made again for the next.
    if (worker.listenerCount('error') === 0) {
      worker.on('error', () => {
        if (this.worker === worker) this.worker = null;
      });
    }
    return new Promise((resolve) => {
      const refuse = (message: string) => {
        this.worker = null;
        void worker.terminate();
        end({ ok: false, problem: { status: 413, code: 'too-large', message, field: null } });
      };
      const timer = setTimeout(() => refuse(`The request took longer than ${WITHIN_MS / 1000} s to read.`), WITHIN_MS);
      const failed = () => refuse('The request takes more memory to read than there is for it.');
      const end: Ended = (answer) => {
        clearTimeout(timer);
        worker.off('message', end).off('error', failed).off('exit', failed);
        this.idle = setTimeout(() => this.letGo(worker), this.idleMs).unref();
        resolve(answer);
      };
      worker.once('message', end);
      worker.once('error', failed);
      worker.once('exit', failed);
      worker.postMessage({ job, octets }, [octets.buffer as ArrayBuffer]);
    });
  }

  private letGo(worker: Worker): void {
    if (this.worker !== worker) return;
    this.worker = null;
    void worker.terminate();
  }
}

const holder = globalThis as typeof globalThis & { jadeLaneLargeBodies?: LargeBodies };

/** The one row of the process: route handlers are bundled apart. */
export const largeBodies = (): LargeBodies => (holder.jadeLaneLargeBodies ??= new LargeBodies());
