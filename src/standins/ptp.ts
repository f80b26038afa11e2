import { decide, mayLead, type Clock, type PortKind, type PortState } from '../core/clocks/best-master';
import { compareAnnounces, wins, type Announce } from '../core/clocks/dataset';

/** A clock of a stand-in: who it is, which segments its ports are in, and how it behaves in time. */
export interface PtpClock {
  readonly id: string;
  readonly clock: Clock;
  readonly announceIntervalMs: number;
  readonly announceTimeout: number;
  readonly relockMs: number;
  /** The class that it announces while its reference is there, and when it is not. */
  readonly classLocked: number;
  readonly classLost: number;
  readonly hasReference: boolean;
}

/** What a device tells of its clock by IS-04 (`clocks` of a node). */
interface ClockReport {
  readonly gmid: string | null;
  readonly locked: boolean;
  readonly traceable: boolean;
}

/** IEEE 1588-2008 clause 9.3.2.4.4: a sender counts after two announces within four intervals. */
const QUALIFYING_ANNOUNCES = 2;
const QUALIFYING_INTERVALS = 4;
/** Class 6 and 7: traceable to a primary reference. */
const TRACEABLE_CLASSES = [6, 7];

interface Heard {
  announce: Announce;
  times: number[];
}

interface Port {
  readonly number: number;
  readonly segment: string;
  readonly kind: PortKind;
  state: PortState;
  /** By sender port: what it announced last, and when. */
  readonly heard: Map<string, Heard>;
  best: Announce | null;
}

interface Running {
  readonly spec: PtpClock;
  readonly ports: readonly Port[];
  isOn: boolean;
  isReferenceLost: boolean;
  follows: Announce | null;
  leadsItself: boolean;
  /** Listens until then for somebody better. */
  listensUntil: number;
  followsSince: number;
  reported: string;
  timer: NodeJS.Timeout | null;
}

/**
 * The PTP of all stand-ins, in scaled time: clocks announce, listen, take over after the announce time-out, and report. It
 * stands in the place of multicast, which the loopback network does not have; the decisions are those of the standard.
 */
export class PtpFabric {
  private readonly clocks = new Map<string, Running>();
  private readonly portsBySegment = new Map<string, { owner: Running; port: Port }[]>();
  private readonly listeners = new Map<string, (report: ClockReport) => void>();

  /** @param speed how many times faster than real time it runs */
  constructor(
    specs: readonly PtpClock[],
    readonly speed: number,
    private readonly now: () => number = Date.now,
  ) {
    for (const spec of specs) {
      const ports = spec.clock.ports.map((segment, n): Port => ({
        number: n + 1,
        segment,
        kind: spec.clock.portKinds?.[n] ?? 'any',
        state: 'listening',
        heard: new Map(),
        best: null,
      }));
      const running: Running = {
        spec,
        ports,
        isOn: false,
        isReferenceLost: false,
        follows: null,
        leadsItself: false,
        listensUntil: 0,
        followsSince: 0,
        reported: '',
        timer: null,
      };
      this.clocks.set(spec.id, running);
      for (const port of ports) {
        const key = `${spec.clock.domainNumber} ${port.segment}`;
        this.portsBySegment.set(key, [...(this.portsBySegment.get(key) ?? []), { owner: running, port }]);
      }
    }
  }

  /** Calls back whenever what a device has to report of its clock changes. */
  onReport(id: string, listener: (report: ClockReport) => void): void {
    this.listeners.set(id, listener);
  }

  domainOf(id: string): number | null {
    return this.clocks.get(id)?.spec.clock.domainNumber ?? null;
  }

  switchOn(id: string): void {
    const c = this.clocks.get(id);
    if (c === undefined || c.isOn) return;
    c.isOn = true;
    c.follows = null;
    c.leadsItself = false;
    c.listensUntil = this.now() + this.timeoutMs(c);
    for (const port of c.ports) {
      port.state = 'listening';
      port.best = null;
      port.heard.clear();
    }
    const interval = c.spec.announceIntervalMs / this.speed;
    c.timer = setInterval(() => this.tick(c), interval);
    this.tick(c);
  }

  switchOff(id: string): void {
    const c = this.clocks.get(id);
    if (c === undefined) return;
    c.isOn = false;
    if (c.timer !== null) clearInterval(c.timer);
    c.timer = null;
  }

  stop(): void {
    for (const id of this.clocks.keys()) this.switchOff(id);
  }

  hasReference(id: string): boolean {
    return this.clocks.get(id)?.spec.hasReference === true;
  }

  /** As when an antenna is pulled, or put back. False where the clock listens to no reference. */
  loseReference(id: string, isLost: boolean): boolean {
    const c = this.clocks.get(id);
    if (c === undefined || !c.spec.hasReference) return false;
    c.isReferenceLost = isLost;
    if (c.isOn) this.tick(c);
    return true;
  }

  report(id: string): ClockReport | null {
    const c = this.clocks.get(id);
    return c === undefined ? null : this.reportOf(c);
  }

  portStates(id: string): readonly PortState[] {
    return this.clocks.get(id)?.ports.map((p) => p.state) ?? [];
  }

  private timeoutMs({ spec }: Running): number {
    return (spec.announceTimeout * spec.announceIntervalMs) / this.speed;
  }

  /** What it says of itself now: without its reference another class. */
  private datasetOf({ spec, isReferenceLost }: Running): Clock {
    return isReferenceLost ? { ...spec.clock, clockClass: spec.classLost } : spec.clock;
  }

  /** One announce interval: forgets who was silent too long, decides, and announces where it leads. */
  private tick(c: Running): void {
    const now = this.now();
    for (const port of c.ports) {
      for (const [sender, { times }] of port.heard) {
        if (now - (times[times.length - 1] as number) >= this.timeoutMs(c)) port.heard.delete(sender);
      }
    }
    this.settle(c);
    for (const port of c.ports) if (port.state === 'leads') this.announce(c, port);
  }

  private settle(c: Running): void {
    const now = this.now();
    const window = (QUALIFYING_INTERVALS * c.spec.announceIntervalMs) / this.speed;
    for (const port of c.ports) {
      port.best = null;
      if (port.kind === 'only-leads') continue;
      for (const { announce, times } of port.heard.values()) {
        const recent = times.filter((t) => now - t <= window);
        const isFollowed = c.follows !== null && isSameSender(c.follows, announce);
        if (recent.length < QUALIFYING_ANNOUNCES && !isFollowed) continue;
        if (port.best === null || wins(compareAnnounces(announce, port.best))) port.best = announce;
      }
    }
    const clock = this.datasetOf(c);
    const decision = decide(clock, c.ports);
    const isWaiting = now < c.listensUntil && decision.follows === null;
    const before = c.follows;
    c.follows = decision.follows;
    c.leadsItself = decision.leadsItself && !isWaiting && mayLead(clock);
    c.ports.forEach((port, n) => {
      port.state = isWaiting ? 'listening' : (decision.states[n] as PortState);
    });
    const isNewMaster = c.follows !== null && before?.grandmaster.clockIdentity !== c.follows.grandmaster.clockIdentity;
    if (isNewMaster || (c.follows !== null && before === null)) {
      c.followsSince = now;
      // It says that it is locked when it is: not before.
      setTimeout(() => this.tell(c), c.spec.relockMs / this.speed + 5).unref();
    }
    this.tell(c);
  }

  private announce(c: Running, port: Port): void {
    const { clock } = c.spec;
    const own = c.follows === null;
    if (own && !c.leadsItself) return;
    for (const { owner, port: reception } of this.portsBySegment.get(`${clock.domainNumber} ${port.segment}`) ?? []) {
      if (owner === c || !owner.isOn) continue;
      const grandmaster = own ? this.datasetOf(c) : (c.follows as Announce).grandmaster;
      if (grandmaster.clockIdentity === owner.spec.clock.clockIdentity) continue;
      const announce: Announce = {
        grandmaster,
        stepsRemoved: own ? 0 : (c.follows as Announce).stepsRemoved + 1,
        senderIdentity: clock.clockIdentity,
        senderPort: port.number,
        receiverIdentity: owner.spec.clock.clockIdentity,
        receiverPort: reception.number,
      };
      const sender = `${announce.senderIdentity} ${port.number}`;
      const known = reception.heard.get(sender);
      const times = [...(known?.times ?? []), this.now()].slice(-QUALIFYING_INTERVALS);
      reception.heard.set(sender, { announce, times });
      this.settle(owner);
    }
  }

  private reportOf(c: Running): ClockReport {
    if (!c.isOn) return { gmid: null, locked: false, traceable: false };
    if (c.follows !== null) {
      const { grandmaster } = c.follows;
      return {
        gmid: grandmaster.clockIdentity,
        locked: this.now() - c.followsSince >= c.spec.relockMs / this.speed,
        traceable: TRACEABLE_CLASSES.includes(grandmaster.clockClass),
      };
    }
    if (!c.leadsItself) return { gmid: null, locked: false, traceable: false };
    const { clockClass, clockIdentity } = this.datasetOf(c);
    return {
      gmid: clockIdentity,
      locked: c.spec.hasReference && !c.isReferenceLost,
      traceable: TRACEABLE_CLASSES.includes(clockClass),
    };
  }

  private tell(c: Running): void {
    if (!c.isOn) return;
    const report = this.reportOf(c);
    const text = JSON.stringify(report);
    if (text === c.reported) return;
    c.reported = text;
    this.listeners.get(c.spec.id)?.(report);
  }
}

function isSameSender(a: Announce, b: Announce): boolean {
  return a.senderIdentity === b.senderIdentity && a.senderPort === b.senderPort && a.receiverPort === b.receiverPort;
}
