import type { Plan } from '../core/plan/plan';
import { managementUrls, readSwitch, type SwitchReading } from '../field/switch-reader';
import type { AddressTranslation } from '../field/binding';

/** How often every switch of a watched plan is asked. */
const INTERVAL_MS = 10_000;

/** Asks the switches of a plan how their cables came up, for as long as the plan is watched. */
export class SwitchWatch {
  private known: ReadonlyMap<string, SwitchReading> = new Map();
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
    const readings = new Map<string, SwitchReading>();
    await Promise.all(
      [...urls].map(async ([id, url]) => {
        const reading = await readSwitch(url);
        const last = this.known.get(id);
        // A switch that fails to answer keeps its last word, with the age it has.
        const isKept = reading.failure !== null && last !== undefined;
        readings.set(id, isKept ? { ...last, failure: reading.failure } : reading);
      }),
    );
    this.isReading = false;
    this.known = readings;
    this.changed();
  }

  /** By switch: what it said last. The same map until the switches are asked again. */
  readings(): ReadonlyMap<string, SwitchReading> {
    return this.known;
  }
}
