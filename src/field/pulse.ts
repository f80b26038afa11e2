import { connect } from 'node:net';
import { steadyNow } from './steady-clock';

/**
 * Feels the pulse of devices: a TCP connection to each one's control interface, opened and closed again, at a steady pace. A device that was
 * unplugged is noticed in seconds, where a registry waits for heartbeats that do not come. Whoever accepts a connection is there, however
 * slowly it answers.
 */

/** Where a node is reached. Several nodes may share a host. */
export interface PulsePlace {
  readonly nodeId: string;
  readonly host: string;
  readonly port: number;
}

/** How often each device is tried, as long as there are no more than the pace allows. */
const EVERY_MS = 1000;
/** A switch that is busy drops a packet now and then: only a second failure in a row counts. */
const AGAIN_MS = 200;
/** A SYN that is lost is sent again by the system after a second: within a subnet no answer takes that long. */
const TIMEOUT_MS = 700;
const TICK_MS = 50;
/** So many tries a second for all devices together: more devices are each tried less often. */
const TRIES_PER_SECOND = 500;

interface Contact {
  readonly host: string;
  readonly port: number;
  nodeIds: readonly string[];
  dueAt: number;
  failures: number;
  isBeingTried: boolean;
}

const keyOf = ({ host, port }: { readonly host: string; readonly port: number }) => `${host}:${port}`;

/** Whether a connection is taken in time. */
export type Reach = (host: string, port: number, timeoutMs: number) => Promise<boolean>;

export const reachByTcp: Reach = (host, port, timeoutMs) =>
  new Promise((resolve) => {
    const socket = connect({ host, port });
    const end = (isThere: boolean) => {
      socket.destroy();
      resolve(isThere);
    };
    socket.setTimeout(timeoutMs, () => end(false));
    socket.once('connect', () => end(true));
    socket.on('error', () => end(false));
  });

export class Pulse {
  private readonly places = new Map<string, Contact>();
  private timer: NodeJS.Timeout | null = null;
  private readonly silent = new Set<string>();

  /**
   * @param changed is called when a node stops answering (`isSilent`), and when it answers again
   * @param unanswered is called each time that a node did not answer where it is tried: it may have another address
   */
  constructor(
    private readonly changed: (nodeId: string, isSilent: boolean) => void,
    private readonly reach: Reach = reachByTcp,
    private readonly unanswered: (nodeId: string) => void = () => {},
  ) {}

  /** How long it takes at most until a loss is noticed, with as many devices as are tried now. In ms. */
  get noticedWithinMs(): number {
    const turnMs = Math.max(EVERY_MS, (this.places.size / TRIES_PER_SECOND) * 1000);
    return Math.ceil((turnMs + TIMEOUT_MS + AGAIN_MS + TIMEOUT_MS + 2 * TICK_MS) / 100) * 100;
  }

  start(): void {
    this.timer ??= setInterval(() => this.tick(steadyNow()), TICK_MS).unref();
  }

  stop(): void {
    if (this.timer !== null) clearInterval(this.timer);
    this.timer = null;
    this.places.clear();
    this.silent.clear();
  }

  /** From now on these are tried, and no others. */
  follow(places: Iterable<PulsePlace>): void {
    const wanted = new Map<string, { host: string; port: number; nodeIds: string[] }>();
    for (const { nodeId, host, port } of places) {
      const key = keyOf({ host, port });
      const known = wanted.get(key);
      if (known === undefined) wanted.set(key, { host, port, nodeIds: [nodeId] });
      else known.nodeIds.push(nodeId);
    }
    for (const key of this.places.keys()) if (!wanted.has(key)) this.places.delete(key);
    for (const [key, { host, port, nodeIds }] of wanted) {
      const known = this.places.get(key);
      if (known !== undefined) known.nodeIds = nodeIds;
      // Spread over a turn, so that they do not all come at once.
      else
        this.places.set(key, {
          host,
          port,
          nodeIds,
          dueAt: steadyNow() + Math.random() * EVERY_MS,
          failures: 0,
          isBeingTried: false,
        });
    }
  }

  /** A node is gone for good: whether it answers concerns nobody. */
  forget(nodeId: string): void {
    this.silent.delete(nodeId);
    for (const place of this.places.values()) {
      if (place.nodeIds.includes(nodeId)) place.nodeIds = place.nodeIds.filter((id) => id !== nodeId);
    }
  }

  private tick(now: number): void {
    let left = Math.ceil((TRIES_PER_SECOND * TICK_MS) / 1000);
    const due = [...this.places.values()].filter((p) => !p.isBeingTried && p.dueAt <= now);
    // Those that have waited longest come first, whatever their number.
    if (due.length > left) due.sort((a, b) => a.dueAt - b.dueAt);
    for (const place of due) {
      if ((left -= 1) < 0) return;
      void this.try(place, now);
    }
  }

  private async try(place: Contact, now: number): Promise<void> {
    const { host, port } = place;
    place.isBeingTried = true;
    const isThere = await this.reach(host, port, TIMEOUT_MS);
    place.isBeingTried = false;
    // Meanwhile it may have been let go.
    if (this.places.get(keyOf(place)) === place) this.note(place, isThere, now);
  }

  private note(place: Contact, isThere: boolean, now: number): void {
    place.failures = isThere ? 0 : place.failures + 1;
    place.dueAt = place.failures === 1 ? steadyNow() + AGAIN_MS : now + EVERY_MS;
    if (place.failures === 1) return;
    for (const nodeId of place.nodeIds) {
      if (!isThere) this.unanswered(nodeId);
      if (this.silent.has(nodeId) === !isThere) continue;
      if (isThere) this.silent.delete(nodeId);
      else this.silent.add(nodeId);
      this.changed(nodeId, !isThere);
    }
  }
}
