import type { FoundLink } from '../core/findings/field-facts';
import type { Plan } from '../core/plan/plan';
import { managementUrls, readSwitch, type SwitchReading } from '../field/switch-reader';
import type { SwitchFieldView } from './messages';
import type { AddressTranslation } from '../field/binding';

/** How often every switch of an open plan is asked. */
const INTERVAL_MS = 10_000;

/** Asks the switches of a plan how their cables came up, for as long as anyone looks at the plan. */
export class SwitchWatch {
  private readonly readings = new Map<string, SwitchReading>();
  private timer: NodeJS.Timeout | null = null;
  private isReading = false;

  constructor(
    private readonly plan: () => Plan,
    private readonly port: number,
    private readonly translation: AddressTranslation | null,
    private readonly changed: () => void,
  ) {}

  start(): void {
    if (this.timer !== null) return;
    this.timer = setInterval(() => void this.read(), INTERVAL_MS);
    void this.read();
  }

  stop(): void {
    if (this.timer !== null) clearInterval(this.timer);
    this.timer = null;
  }

  async read(): Promise<void> {
    if (this.isReading) return;
    this.isReading = true;
    const urls = managementUrls(this.plan(), this.port, this.translation);
    for (const id of this.readings.keys()) if (!urls.has(id)) this.readings.delete(id);
    await Promise.all(
      [...urls].map(async ([id, url]) => {
        const reading = await readSwitch(url);
        const last = this.readings.get(id);
        // A switch that fails to answer keeps its last word, with the age it has.
        const isKept = reading.failure !== null && last !== undefined;
        this.readings.set(id, isKept ? { ...last, failure: reading.failure } : reading);
      }),
    );
    this.isReading = false;
    this.changed();
  }

  /** By cable: what the switch at either end says; where both say something, the slower. */
  links(): Map<string, FoundLink> {
    const found = new Map<string, FoundLink>();
    for (const link of this.plan().links.values()) {
      for (const end of [link.from, link.to]) {
        const reading = this.readings.get(end.deviceId);
        const port = reading?.ports.find((p) => p.name === end.port);
        if (!reading || !port) continue;
        const { isUp, bitsPerSecond, duplex } = port;
        const known = found.get(link.id);
        if (known && (known.bitsPerSecond ?? Infinity) <= (bitsPerSecond ?? Infinity)) continue;
        found.set(link.id, { isUp, bitsPerSecond, duplex });
      }
    }
    return found;
  }

  /** By switch: when it last answered (null: not yet), and why it does not now. */
  states(): Map<string, SwitchFieldView> {
    return new Map(
      [...this.readings].map(([id, { readAt, ports, failure }]) => [
        id,
        { readAt: failure !== null && ports.length === 0 ? null : readAt, failure },
      ]),
    );
  }
}
