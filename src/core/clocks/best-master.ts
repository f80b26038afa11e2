import { compareAnnounces, isBetter, wins, type Announce, type ClockDataset, type Comparison } from './dataset';
import { ClocksByIdentity } from './identities';

/** A clock with its ports, each in a segment in which multicast PTP is heard by all. Several ports: a boundary clock. */
export interface Clock extends ClockDataset {
  readonly id: string;
  readonly domainNumber: number;
  /** Never leads (IEEE 1588 clause 9.2.2). Class 255 is the same. */
  readonly clientOnly: boolean;
  /** Segments, in the order of port numbers from 1. */
  readonly ports: readonly string[];
  /** False: an ordinary clock on several networks. It follows the best and passes nothing on. */
  readonly relays?: boolean;
  /** Ports of a kind other than the usual: those that answer unicast requests only lead, those that ask only follow. */
  readonly portKinds?: readonly PortKind[];
}

export type PortKind = 'any' | 'only-leads' | 'only-follows';

/** As the standard's MASTER, SLAVE, PASSIVE and LISTENING. */
export type PortState = 'leads' | 'follows' | 'passive' | 'listening';

export interface ClockState {
  readonly id: string;
  /** Whose time it keeps: its own where it follows nobody, also where it may not lead. */
  readonly grandmasterIdentity: string;
  /** Boundary clocks between it and the grandmaster, itself counted; 0 where it follows nobody. */
  readonly stepsRemoved: number;
  /** The clock whose announce it follows; null when it leads itself or follows nobody. */
  readonly parent: string | null;
  /** In the order of ports. */
  readonly portStates: readonly PortState[];
  /** The announce it follows, for the question why. */
  readonly follows: Announce | null;
  /** The best announce that it hears and does not follow, because its own data set is better and it may not lead. */
  readonly ignores: Announce | null;
}

/** Messages that have gone through so many clocks are dropped (clause 9.3.2.5). */
const STEPS_MAX = 255;

/** A port with the best announce that it hears: what the state decision asks of it. */
interface HearingPort {
  readonly number: number;
  readonly kind: PortKind;
  readonly best: Announce | null;
}

interface PortWork extends HearingPort {
  readonly clock: number;
  readonly segment: number;
  state: PortState;
  best: Announce | null;
}

/** The segments of a network, numbered: those of different domains are different ones, as their clocks do not hear each other. */
class Segments {
  private readonly byDomain = new Map<number, Map<string, number>>();
  count = 0;

  numberOf(domainNumber: number, name: string): number {
    let known = this.byDomain.get(domainNumber);
    if (known === undefined) this.byDomain.set(domainNumber, (known = new Map()));
    let segment = known.get(name);
    if (segment === undefined) {
      known.set(name, (segment = this.count));
      this.count += 1;
    }
    return segment;
  }
}

/** Where a network of clocks comes to rest. */
export interface Rest {
  /** The clocks that may lead. */
  readonly speakers: ReadonlyMap<string, ClockState>;
  /** How one comes to rest that never leads: it says nothing to anyone and hears how the others come to rest. */
  stateOf(listener: Clock): ClockState;
  /** Whose time such a one keeps: of its state the `grandmasterIdentity`, which costs far less than all of it. */
  sourceOf(listener: Clock): string;
}

/**
 * The state in which a network of clocks comes to rest: best-master comparison and state decision (IEEE 1588-2008 figures 26
 * to 28), announce after announce, until nothing changes. Clocks of different domains do not hear each other. The result
 * does not depend on the order of records.
 */
export function settleClocks(clocks: readonly Clock[]): ReadonlyMap<string, ClockState> {
  const { speakers, stateOf } = restOf(clocks);
  const states = new Map(speakers);
  for (const clock of clocks) if (!mayLead(clock)) states.set(clock.id, stateOf(clock));
  return states;
}

/** As `settleClocks`, for who does not want all that is to be known of every clock. */
export function restOf(clocks: readonly Clock[]): Rest {
  const segments = new Segments();
  const speaking = clocks
    .filter(mayLead)
    .sort((a, b) =>
      a.clockIdentity < b.clockIdentity ? -1 : a.clockIdentity > b.clockIdentity ? 1 : a.id < b.id ? -1 : 1,
    );
  const ports: PortWork[] = [];
  const portsOfClock: PortWork[][] = speaking.map(() => []);
  const portsOfSegment: PortWork[][] = [];
  speaking.forEach((clock, index) => {
    clock.ports.forEach((name, n) => {
      const segment = segments.numberOf(clock.domainNumber, name);
      const kind = clock.portKinds?.[n] ?? 'any';
      const state = kind === 'only-follows' ? 'listening' : 'leads';
      const port: PortWork = { clock: index, number: n + 1, segment, kind, state, best: null };
      ports.push(port);
      (portsOfClock[index] as PortWork[]).push(port);
      (portsOfSegment[segment] ??= []).push(port);
    });
  });
  const follows: (Announce | null)[] = speaking.map(() => null);
  const leadsItself = speaking.map(() => true);

  const offers = () => portsOfSegment.map((members) => loudest(members, speaking, follows, leadsItself));
  /** Returns whether anything became otherwise. */
  const decideFor = (index: number): boolean => {
    const own = portsOfClock[index] as PortWork[];
    const decision = decide(speaking[index] as Clock, own);
    let changed = !isSameAnnounce(follows[index] ?? null, decision.follows);
    follows[index] = decision.follows;
    leadsItself[index] = decision.leadsItself;
    own.forEach((port, n) => {
      const state = decision.states[n] as PortState;
      if (port.state !== state) changed = true;
      port.state = state;
    });
    return changed;
  };

  // News travels one clock a round; twice the number of clocks is more than any way there and back.
  const roundsMax = 2 * speaking.length + 4;
  for (let round = 0; round < roundsMax; round += 1) {
    const heard = offers();
    for (const port of ports) {
      const own = speaking[port.clock] as Clock;
      const offered = heard[port.segment] as Offer[];
      port.best = port.kind === 'only-leads' ? null : heardBy(own, port.number, port.clock, offered, speaking);
    }
    let changed = false;
    for (const index of speaking.keys()) if (decideFor(index)) changed = true;
    if (!changed) break;
  }

  const idByIdentity = new ClocksByIdentity();
  for (const c of speaking) idByIdentity.set(c.domainNumber, c.clockIdentity, c.id);
  const state = (
    clock: Clock,
    announce: Announce | null,
    own: readonly HearingPort[],
    portStates: readonly PortState[],
  ): ClockState => ({
    id: clock.id,
    grandmasterIdentity: announce ? announce.grandmaster.clockIdentity : clock.clockIdentity,
    stepsRemoved: announce ? announce.stepsRemoved + 1 : 0,
    parent: announce ? idByIdentity.get(clock.domainNumber, announce.senderIdentity) : null,
    portStates,
    follows: announce,
    ignores: announce === null && !mayLead(clock) ? bestOf(own) : null,
  });
  const speakers = new Map<string, ClockState>();
  speaking.forEach((clock, index) => {
    const own = portsOfClock[index] as PortWork[];
    const states = own.map((p) => p.state);
    speakers.set(clock.id, state(clock, follows[index] ?? null, own, states));
  });
  const heard = offers();
  const offeredAt = (clock: Clock, n: number): readonly Offer[] => {
    if (clock.portKinds?.[n] === 'only-leads') return NO_OFFERS;
    return heard[segments.numberOf(clock.domainNumber, clock.ports[n] as string)] ?? NO_OFFERS;
  };
  const stateOf = (clock: Clock): ClockState => {
    const own = clock.ports.map((_, n): HearingPort => {
      const kind = clock.portKinds?.[n] ?? 'any';
      return { number: n + 1, kind, best: heardBy(clock, n + 1, NO_INDEX, offeredAt(clock, n), speaking) };
    });
    const decision = decide(clock, own);
    return state(clock, decision.follows, own, decision.states);
  };
  const sourceOf = (clock: Clock): string => {
    let best: ClockDataset | null = null;
    for (let n = 0; n < clock.ports.length; n += 1) {
      const grandmaster = offeredAt(clock, n).find(
        (o) => o.grandmaster.clockIdentity !== clock.clockIdentity,
      )?.grandmaster;
      if (grandmaster === undefined || grandmaster === best) continue;
      if (best === null) best = grandmaster;
      // Two that say they are one and the same: which of them is heard depends on all of the announce.
      else if (grandmaster.clockIdentity === best.clockIdentity) return stateOf(clock).grandmasterIdentity;
      else if (isBetter(grandmaster, best)) best = grandmaster;
    }
    return best === null || (clock.clientOnly && isBetter(ownDataset(clock), best))
      ? clock.clockIdentity
      : best.clockIdentity;
  };
  return { speakers, stateOf, sourceOf };
}

/** What a clock holds against others: the class of one that only follows is 255, whatever it is built for (IEEE 1588 clause 7.6.2.4). */
const ownDataset = (clock: Clock): ClockDataset =>
  clock.clientOnly && clock.clockClass !== 255 ? { ...clock, clockClass: 255 } : clock;

const NO_OFFERS: readonly Offer[] = [];

/** Of a clock that never speaks: no offer is its own. */
const NO_INDEX = -1;

export function mayLead(clock: Pick<Clock, 'clientOnly' | 'clockClass'>): boolean {
  return !clock.clientOnly && clock.clockClass !== 255;
}

/** An announce on its way into a segment, before anyone's receiving port is known. */
interface Offer {
  readonly grandmaster: ClockDataset;
  readonly stepsRemoved: number;
  readonly clock: number;
  readonly port: number;
}

/** The best two announces in a segment from different clocks: whoever sent the best hears the second. */
function loudest(
  members: readonly PortWork[],
  clocks: readonly Clock[],
  follows: readonly (Announce | null)[],
  leadsItself: readonly boolean[],
): Offer[] {
  let first: Offer | null = null;
  let second: Offer | null = null;
  for (const port of members) {
    if (port.state !== 'leads') continue;
    const announce = follows[port.clock] ?? null;
    if (announce === null && leadsItself[port.clock] !== true) continue;
    const offer: Offer = {
      grandmaster: announce?.grandmaster ?? (clocks[port.clock] as Clock),
      stepsRemoved: announce ? announce.stepsRemoved + 1 : 0,
      clock: port.clock,
      port: port.number,
    };
    if (offer.stepsRemoved >= STEPS_MAX) continue;
    if (first === null || isLouder(offer, first, clocks)) {
      if (first !== null && first.clock !== offer.clock) second = first;
      first = offer;
    } else if (offer.clock !== first.clock && (second === null || isLouder(offer, second, clocks))) second = offer;
  }
  return [first, second].filter((o): o is Offer => o !== null);
}

function isLouder(a: Offer, b: Offer, clocks: readonly Clock[]): boolean {
  return wins(compareAnnounces(announceOf(a, clocks, '', 0), announceOf(b, clocks, '', 0)));
}

function announceOf(offer: Offer, clocks: readonly Clock[], receiverIdentity: string, receiverPort: number): Announce {
  return {
    grandmaster: offer.grandmaster,
    stepsRemoved: offer.stepsRemoved,
    senderIdentity: (clocks[offer.clock] as Clock).clockIdentity,
    senderPort: offer.port,
    receiverIdentity,
    receiverPort,
  };
}

/** A clock does not hear itself, nor what has its own time for its source. */
function heardBy(
  own: Clock,
  port: number,
  index: number,
  offers: readonly Offer[],
  clocks: readonly Clock[],
): Announce | null {
  for (const offer of offers) {
    if (offer.clock === index) continue;
    if (offer.grandmaster.clockIdentity === own.clockIdentity) continue;
    return announceOf(offer, clocks, own.clockIdentity, port);
  }
  return null;
}

/** The best announce that a clock hears, on any port. */
function bestOf(ports: readonly HearingPort[]): Announce | null {
  let best: Announce | null = null;
  for (const { best: heard } of ports)
    if (heard && (best === null || wins(compareAnnounces(heard, best)))) best = heard;
  return best;
}

/** Figure 26: the state decision of every port of a clock, from the best announce that each of them hears. */
export function decide(
  clock: Clock,
  ports: readonly HearingPort[],
): {
  states: PortState[];
  follows: Announce | null;
  leadsItself: boolean;
} {
  const best = bestOf(ports);
  const own: Announce = {
    grandmaster: ownDataset(clock),
    stepsRemoved: 0,
    senderIdentity: clock.clockIdentity,
    senderPort: 0,
    receiverIdentity: clock.clockIdentity,
    receiverPort: 0,
  };
  if (!mayLead(clock)) {
    // Figure 24: one that is set only to follow goes on listening where the decision is that it should lead. Class 255 only ever follows.
    const chosen = best !== null && clock.clientOnly && wins(compareAnnounces(own, best)) ? null : best;
    const states = ports.map((p): PortState =>
      chosen !== null && p.number === chosen.receiverPort
        ? 'follows'
        : chosen !== null && clock.relays === false && p.best !== null
          ? 'passive'
          : 'listening',
    );
    return { states, follows: chosen, leadsItself: false };
  }
  // A clock that is locked to a primary reference never follows: beaten, it stands by (M1, P1).
  if (clock.clockClass <= 127) {
    const states = ports.map((p): PortState =>
      p.best === null || wins(compareAnnounces(own, p.best)) ? mayState(p, 'leads') : 'passive',
    );
    return { states, follows: null, leadsItself: true };
  }
  if (best === null || wins(compareAnnounces(own, best))) {
    return { states: ports.map((p) => mayState(p, 'leads')), follows: null, leadsItself: true };
  }
  const chosen = best;
  const states = ports.map((p): PortState => {
    if (p.number === chosen.receiverPort) return 'follows';
    if (clock.relays === false) return p.best === null ? 'listening' : 'passive';
    if (p.best === null) return mayState(p, 'leads');
    const comparison: Comparison = compareAnnounces(chosen, p.best);
    return comparison === 'by-topology' ? 'passive' : mayState(p, 'leads');
  });
  return { states, follows: chosen, leadsItself: false };
}

/** A port that asks for time never gives it. */
function mayState(port: HearingPort, state: 'leads'): PortState {
  if (port.kind !== 'only-follows') return state;
  return port.best === null ? 'listening' : 'passive';
}

function isSameAnnounce(a: Announce | null, b: Announce | null): boolean {
  if (a === null || b === null) return a === b;
  return (
    a.grandmaster.clockIdentity === b.grandmaster.clockIdentity &&
    a.stepsRemoved === b.stepsRemoved &&
    a.senderIdentity === b.senderIdentity &&
    a.senderPort === b.senderPort &&
    a.receiverPort === b.receiverPort
  );
}
