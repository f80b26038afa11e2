import { planFileText } from '../core/formats/plan-file';
import { FieldFindings } from '../core/findings/field-rules';
import type { Finding } from '../core/findings/finding';
import { adaptersBySubnet, askedAtOf, minuteOf } from '../core/findings/told-of-field';
import { sentDevices } from '../core/plan/followed';
import { atOnce, type InSteps } from '../core/plan/in-steps';
import type { Plan } from '../core/plan/plan';
import type { PlanRef } from '../core/plan/plan-ref';
import { reckon, reckonInSteps } from '../core/reckon/reckon';
import type { Reckoning } from '../core/reckon/reckoning';
import { bindDevices, fieldAddress, type Bindings } from '../field/binding';
import type { FieldNews, FieldSnapshot } from '../field/field-snapshot';
import { EventLog, type Happening, type LiveEvent } from '../field/live/happenings';
import { LiveBoard } from '../field/live/live-board';
import { PlanInField } from '../field/live/plan-in-field';
import { steadyNow } from '../field/steady-clock';
import type { EventStore } from '../store/event-store';
import { logger } from './logger';
import type { Author, ChangeMessage, FieldMessage, PresenceMessage } from './messages';
import { serverState } from './state';
import { stepByStep } from './step-by-step';
import { SwitchWatch } from './switch-watch';

type EventName = 'hello' | 'change' | 'field' | 'people' | 'alive';

/** What is sent to browsers, as JSON and as the octets that go to them: made once for all of them. */
export interface EventFrame {
  readonly event: EventName;
  readonly data: string;
  readonly octets: Uint8Array;
}

/** One browser. */
interface Watcher {
  readonly author: Author;
  readonly send: (frame: EventFrame) => void;
  /** It is sent nothing more: whoever it was reads everything again. */
  readonly end: () => void;
}

const encoder = new TextEncoder();

export function frameOf(event: EventName, data: unknown): EventFrame {
  return frameOfText(event, JSON.stringify(data));
}

function frameOfText(event: EventName, text: string): EventFrame {
  return { event, data: text, octets: encoder.encode(`event: ${event}\ndata: ${text}\n\n`) };
}

/** How soon after news of the field a plan is held against it: as fast as it is sensible to show. */
const LOOK_MS = 150;
/** As long as nobody looks, what happened is noted for the journal only. */
const UNSEEN_LOOK_MS = 1000;
/** How soon everyone knows who is here. */
const PEOPLE_MS = 100;
const EVENTS_SHOWN = 50;
/** So far back it is looked which devices are gone. */
const EVENTS_SEARCHED = 1000;

/**
 * One plan while it is watched, by people or because it carries: the plan in memory, its reckoning, its live figures, and the
 * browsers that look at it.
 */
export class PlanSession {
  private readonly watchers = new Set<Watcher>();
  /** All there is to send, until something is sent that is not in it. */
  private everything: EventFrame | null = null;
  private file: { readonly plan: Plan; readonly parts: Promise<readonly Uint8Array[]> } | null = null;
  private peopleTimer: NodeJS.Timeout | null = null;

  private readonly inField: PlanInField;
  private readonly log: EventLog;
  private readonly foundInField = new FieldFindings();
  private untoldEvents = new Map<number, LiveEvent>();
  private timer: NodeJS.Timeout | null = null;
  private hasNews = true;
  private hasLooked = false;
  private isLooking = false;
  private isClosed = false;
  private hasClaimed = false;
  private runs: {
    readonly all: ReadonlyMap<string, PlanRef> | null;
    readonly elsewhere: ReadonlyMap<string, PlanRef>;
  } = {
    all: null,
    elsewhere: new Map(),
  };
  private hostsOf: Plan['interfaces'] | null = null;
  private readonly switches: SwitchWatch | null;

  constructor(
    readonly id: string,
    public plan: Plan,
    public revision: number,
    private reckoned?: Reckoning,
  ) {
    const server = serverState();
    const { restconfPort, translation, events } = server;
    const switches =
      restconfPort === null
        ? null
        : new SwitchWatch(
            () => this.plan,
            restconfPort,
            translation,
            () => this.fieldChanged(),
          );
    this.switches = switches;
    const known = events
      .latest(id, EVENTS_SEARCHED)
      .map(({ id, at, happening }) => ({ ...happening, id, at }) as LiveEvent);
    this.log = new EventLog(known.slice(0, EVENTS_SHOWN), journalOf(id, events));
    this.inField = new PlanInField(
      {
        reckoning: () => this.reckoning(),
        field: () => server.follower?.snapshot() ?? null,
        translation,
        announcements: () => {
          const { announcements } = server;
          return announcements === null ? null : { ...announcements.state(), streams: announcements.streams() };
        },
        switchReadings: () => switches?.readings() ?? NO_READINGS,
        runElsewhere: () => this.runElsewhere(),
      },
      boardAfter(known, plan),
    );
    this.noteHosts();
    this.keepWatch();
  }

  reckoning(): Reckoning {
    this.reckoned = reckon(this.plan, this.reckoned);
    return this.reckoned;
  }

  /** What is wrong with the plan, by itself and as the field has it: what a page that shows the plan would find. */
  findings(at: number): readonly Finding[] {
    // While the plan is watched, news is looked at in its turn.
    if (!this.hasLooked || (this.hasNews && this.timer === null)) this.look(at);
    const { board } = this.inField;
    const { plan, clocks, findings } = this.reckoning();
    const found = this.foundInField.of({
      ...plan,
      keptTime: clocks.time,
      foundLinks: board.valuesOf('links'),
      foundClocks: board.valuesOf('clocks'),
      foundNames: board.valuesOf('names'),
      foundMappings: board.valuesOf('channelMappings'),
      foundPatches: board.valuesOf('devicePatches'),
      foundFigures: board.valuesOf('channelFigures'),
      foundAt: new Map(askedAtOf(board.valuesOf('devices'))),
      seenBy: adaptersBySubnet(board.valuesOf('adapters').get('') ?? []),
      now: minuteOf(steadyNow()),
    });
    return [...found, ...findings];
  }

  bindings(field: FieldSnapshot): Bindings {
    const { translation, runs } = serverState();
    const bindings = bindDevices(this.plan, field, translation);
    return { ...bindings, runElsewhere: runs.elsewhere(this.id, bindings) };
  }

  /** By the id of the IS-04 device: the other plan that runs it. The same map until any device is run by another. */
  private runElsewhere(): ReadonlyMap<string, PlanRef> {
    const all = serverState().runs.all();
    if (all !== this.runs.all) {
      this.runs = { all, elsewhere: new Map([...all].filter(([, by]) => by.planId !== this.id)) };
    }
    return this.runs.elsewhere;
  }

  /** Devices to which this plan was sent before it was kept which plan runs which are its own, as long as no other plan runs them. */
  private claimWhatCarries(field: FieldSnapshot): void {
    this.hasClaimed = true;
    const sent = sentDevices(this.plan);
    if (sent.size > 0) serverState().runs.claim(this.id, sent, this.bindings(field));
  }

  /** The plan as it is now as the JSON of its file, made once for everyone who opens it. */
  fileParts(): Promise<readonly Uint8Array[]> {
    const { plan } = this;
    if (this.file?.plan !== plan) this.file = { plan, parts: stepByStep(octetsOf(planFileText(plan))) };
    return this.file.parts;
  }

  /** Takes in a batch that is in the journal, and tells everyone. Nothing that goes wrong in telling undoes it. Its changes are given as JSON. */
  advance(plan: Plan, message: Omit<ChangeMessage, 'changes'>, changes: string): void {
    this.plan = plan;
    this.file = null; // many megabytes of a plan that nobody opens any more
    this.revision = message.revision;
    this.tell('change', () => `{"changes":${changes},${JSON.stringify(message).slice(1)}`);
    this.noteHosts();
    this.keepWatch();
    this.fieldChanged();
  }

  /** @returns ends it */
  listen(watcher: Watcher): () => void {
    this.watchers.add(watcher);
    this.keepWatch();
    if (!this.hasLooked) this.look(Date.now());
    this.everything ??= frameOf('field', this.allOfField());
    this.tellOne(watcher, frameOf('hello', { revision: this.revision, now: steadyNow() }));
    this.tellOne(watcher, this.everything);
    this.tellPeopleSoon();
    this.lookSoon();
    return () => this.leave(watcher);
  }

  private leave(watcher: Watcher): void {
    if (!this.watchers.delete(watcher)) return;
    this.keepWatch();
    this.tellPeopleSoon();
  }

  private allOfField(): FieldMessage {
    return { isFull: true, topics: this.inField.board.all(), events: this.log.events() };
  }

  /** Whether any browser looks at the plan. */
  get isLookedAt(): boolean {
    return this.watchers.size > 0;
  }

  /** Whether devices were sent anything for the plan: it is then watched whether or not somebody looks. */
  get isCarrying(): boolean {
    return this.plan.sentStreams.size > 0;
  }

  /** Notes what may have changed in the field; the plan is held against it a moment later. */
  fieldChanged(news?: FieldNews): void {
    if (news !== undefined) this.inField.noteField(news);
    // Devices may be followed only since now.
    this.noteHosts();
    this.hasNews = true;
    this.lookSoon();
  }

  /** Ends all that goes on by itself. */
  close(): void {
    this.isClosed = true;
    this.switches?.stop();
    for (const timer of [this.timer, this.peopleTimer]) if (timer !== null) clearTimeout(timer);
    this.timer = null;
    this.peopleTimer = null;
    for (const watcher of [...this.watchers]) {
      this.watchers.delete(watcher);
      watcher.end();
    }
  }

  /** Devices of the plan are talked to at the addresses that they have in it. */
  private noteHosts(): void {
    const { follower, translation } = serverState();
    const { interfaces } = this.plan;
    if (follower === null || this.hostsOf === interfaces) return;
    this.hostsOf = interfaces;
    const addresses = new Set<string>();
    for (const own of interfaces.values()) {
      for (const { address } of own.values()) if (address !== null) addresses.add(fieldAddress(address, translation));
    }
    follower.setNamedHosts(this.id, addresses);
  }

  private keepWatch(): void {
    if (this.isLookedAt || this.isCarrying) this.switches?.start();
    else this.switches?.stop();
  }

  private lookSoon(): void {
    if (this.isClosed || this.timer !== null || !(this.isLookedAt || this.isCarrying)) return;
    this.timer = setTimeout(() => void this.lookAndTell(), this.isLookedAt ? LOOK_MS : UNSEEN_LOOK_MS);
    this.timer.unref();
  }

  private async lookAndTell(): Promise<void> {
    // After a large change, or of a large plan, it takes long: others come in between.
    if (this.hasNews && !this.isLooking) await stepByStep(this.lookInSteps(Date.now()));
    this.timer = null;
    this.tellNews();
    // There may be news since, and some topics are sent at a slower pace than others.
    if (this.hasNews || this.inField.board.nextAt() !== null) this.lookSoon();
  }

  private look(at: number): void {
    atOnce(this.lookInSteps(at));
  }

  *lookInSteps(at: number): InSteps<void> {
    this.isLooking = true;
    this.hasNews = false;
    this.hasLooked = true;
    this.everything = null;
    try {
      const { plan, reckoned: before } = this;
      const reckoned = yield* reckonInSteps(plan, before);
      // Somebody who could not wait may have had a later plan reckoned meanwhile.
      if (this.reckoned === before) this.reckoned = reckoned;
      const field = serverState().follower?.snapshot();
      if (!this.hasClaimed && field?.wasHeard === true) this.claimWhatCarries(field);
      for (const event of this.log.note(yield* this.inField.updateInSteps(at), at))
        this.untoldEvents.set(event.id, event);
    } catch (error) {
      // Whatever the field tells, it must not end the watching, nor keep anyone out: the next news is looked at again.
      logger.error({ planId: this.id, err: error }, 'the plan could not be held against the field');
    }
    this.isLooking = false;
  }

  private tellNews(): void {
    const topics = this.inField.board.takeNews(steadyNow());
    const events = [...this.untoldEvents.values()];
    this.untoldEvents = new Map();
    if (topics !== null || events.length > 0) {
      this.tell('field', () => JSON.stringify({ isFull: false, topics: topics ?? {}, events }));
    }
  }

  private tell(event: EventName, data: () => string): void {
    if (this.watchers.size === 0) return;
    const frame = frameOfText(event, data());
    for (const watcher of [...this.watchers]) this.tellOne(watcher, frame);
  }

  /** A browser that takes nothing is let go: it must not keep news from the others. */
  private tellOne(watcher: Watcher, frame: EventFrame): void {
    try {
      watcher.send(frame);
    } catch (error) {
      logger.warn({ planId: this.id, err: error }, 'a browser could not be told');
      this.leave(watcher);
      watcher.end();
    }
  }

  /** Who is here, and what they have sent for later. Of many that come or go at once there is one message. */
  tellPeopleSoon(): void {
    this.peopleTimer ??= setTimeout(() => {
      this.peopleTimer = null;
      const people = [...new Map([...this.watchers].map((w) => [w.author.id, w.author])).values()];
      const timedSends = serverState().sending.timed.ofPlan(this.id);
      this.tell('people', () => JSON.stringify({ people, timedSends } satisfies PresenceMessage));
    }, PEOPLE_MS).unref();
  }
}

function* octetsOf(text: Iterable<string>): InSteps<readonly Uint8Array[]> {
  const octets: Uint8Array[] = [];
  for (const piece of text) {
    octets.push(Buffer.from(piece));
    yield;
  }
  return octets;
}

const NO_READINGS = new Map<string, never>();

/** A disk that is full must not keep anyone from seeing what happens: such an event is shown, and forgotten. */
function journalOf(planId: string, events: EventStore) {
  let unkept = -1;
  return {
    add: (happening: Happening, at: number): number => {
      try {
        return events.add(planId, happening, at);
      } catch (error) {
        logger.error({ planId, error: String(error) }, 'an event of the field could not be kept');
        return (unkept -= 1); // no id of the store is below nought
      }
    },
    grow: ({ id, at: _, ...happening }: LiveEvent): void => {
      try {
        if (id >= 0) events.replace(id, happening);
      } catch (error) {
        logger.error({ planId, error: String(error) }, 'an event of the field could not be kept');
      }
    },
  };
}

/** A board that knows which devices were gone when the plan was last watched, and since when. */
function boardAfter(events: readonly LiveEvent[], plan: Plan): LiveBoard {
  const board = new LiveBoard();
  const seen = new Set<string>();
  for (const event of events) {
    if (event.what !== 'devices-gone' && event.what !== 'devices-back') continue;
    for (const deviceId of event.deviceIds) {
      const isNewest = !seen.has(deviceId);
      seen.add(deviceId);
      if (isNewest && event.what === 'devices-gone' && plan.devices.has(deviceId)) {
        board.knowGone('devices', deviceId, event.at);
      }
    }
  }
  return board;
}
