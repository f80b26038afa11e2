import { request } from 'undici';
import type { Resource, ResourceType } from '../registry/resources';
import { taiNow } from '../core/units/tai';

/** Two thousand nodes that register at once keep a registry busy for seconds. */
const ANSWER_WITHIN_MS = 15_000;

interface RegistrationOptions {
  readonly registryUrl: string;
  readonly nodeId: string;
  readonly heartbeatMs: number;
  /** Everything that the node registers, what is pointed at first. */
  readonly resources: () => readonly [ResourceType, Resource][];
}

/** Keeps a node registered (IS-04 Registration API): heartbeats, everything again where the registry forgot it, and changes in order. */
export class Registration {
  private readonly versions = new Map<string, string>();
  private heartbeat: NodeJS.Timeout | null = null;
  private isOn = false;
  private isRegistered = false;
  private isBeating = false;
  private queue: Promise<void> = Promise.resolve();
  /** What the registry has taken since it last did not know us. */
  private readonly told = new Set<string>();
  /** What changed while the registry did not know us yet, or was just being told everything. */
  private readonly missed = new Map<string, ResourceType>();

  constructor(private readonly options: RegistrationOptions) {}

  async start(): Promise<void> {
    this.isOn = true;
    this.heartbeat = setInterval(() => void this.beat(), this.options.heartbeatMs);
    await this.beat();
  }

  /** Ends without a word. */
  stop(): void {
    this.isOn = false;
    this.forget();
    if (this.heartbeat) clearInterval(this.heartbeat);
    this.heartbeat = null;
  }

  /** When a resource last changed, as IS-04 writes versions. */
  version(id: string): string {
    let version = this.versions.get(id);
    if (version === undefined) this.versions.set(id, (version = taiNow()));
    return version;
  }

  private async post(path: string, body?: unknown): Promise<number> {
    // Not `fetch`: heartbeats of many nodes in one process are most of what that process does.
    const { statusCode, body: answer } = await request(`${this.options.registryUrl}/x-nmos/registration/v1.3/${path}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: body === undefined ? null : JSON.stringify(body),
      headersTimeout: ANSWER_WITHIN_MS,
      bodyTimeout: ANSWER_WITHIN_MS,
    });
    await answer.dump();
    return statusCode;
  }

  private forget(): void {
    this.isRegistered = false;
    this.told.clear();
    this.missed.clear();
  }

  /** A heartbeat; where the registry does not know us, we register everything again. */
  private async beat(): Promise<void> {
    if (this.isBeating) return; // registering everything can take longer than the time between two beats
    this.isBeating = true;
    try {
      if (this.isRegistered && (await this.post(`health/nodes/${this.options.nodeId}`)) !== 404) return;
      if (this.isRegistered) this.forget();
      let beatAt = Date.now();
      for (const [type, data] of this.options.resources()) {
        if (!this.isOn) return;
        if (this.told.has(data.id)) continue;
        // The registry has forgotten what this hangs on: the next beat begins again.
        if ((await this.post('resource', { type, data })) >= 400) return this.forget();
        this.told.add(data.id);
        if (Date.now() - beatAt < this.options.heartbeatMs) continue;
        // A node with many resources must not expire while it still registers them.
        if ((await this.post(`health/nodes/${this.options.nodeId}`)) === 404) return this.forget();
        beatAt = Date.now();
      }
      this.isRegistered = true;
      for (const [id, type] of this.missed) this.publish(type, id);
    } catch {
      // No answer: the next beat asks again, and goes on where this one ended.
    } finally {
      this.isBeating = false;
    }
  }

  /** Tells the registry of a resource that changed, in order. */
  publish(type: ResourceType, id: string): void {
    this.versions.set(id, taiNow());
    this.queue = this.queue.then(async () => {
      if (!this.isRegistered) {
        this.missed.set(id, type);
        return;
      }
      const found = this.options.resources().find(([, r]) => r.id === id);
      if (found === undefined || found[0] !== type) return;
      try {
        // "Created" or "refused" says that the registry had forgotten us: the next beat registers everything.
        if ((await this.post('resource', { type, data: found[1] })) !== 200) this.forget();
      } catch {
        this.forget();
      }
    });
  }
}
