import type { Plan } from '../core/plan/plan';
import { reckon } from '../core/reckon/reckon';
import type { Reckoning } from '../core/reckon/reckoning';
import { bindDevices, type Bindings } from '../field/binding';
import type { FieldNews, FieldSnapshot } from '../field/follower';
import { EventLog, type Happening, type LiveEvent } from '../field/live/happenings';
import { LiveBoard } from '../field/live/live-board';
import { PlanInField } from '../field/live/plan-in-field';
import type { EventStore } from '../store/event-store';
import { logger } from './logger';
import type { Author, ChangeMessage, FieldMessage } from './messages';
import { serverState } from './state';
import { SwitchWatch } from './switch-watch';

/** Tells one browser: the data is JSON, made once for all of them. */
export type SendEvent = (event: 'hello' | 'change' | 'field' | 'people', data: string) => void;

interface Listener {
  readonly author: Author;
  readonly send: SendEvent;
}

/** How soon after news of the field a plan is held against it: as fast as it is sensible to show. */
const LOOK_MS = 150;
/** As long as nobody looks, what happened is noted for the journal only. */
const UNSEEN_LOOK_MS = 1000;
const EVENTS_SHOWN = 50;
/** So far back it is looked which devices are gone. */
const EVENTS_SEARCHED = 1000;

/**
 * One plan while it is watched, by people or because it carries: the plan in memory, its reckoning, its live figures, and the
 * browsers that look at it.
 */
export class PlanSession {
  private readonly listeners = new Set<Listener>();
  private reckoned: Reckoning | undefined;
  private readonly inField: PlanInField;
  private readonly log: EventLog;
  private untoldEvents = new Map<number, LiveEvent>();
  private timer: NodeJS.Timeout | null = null;
  private hasNews = true;
  private readonly switches: SwitchWatch | null;

  constructor(
    readonly id: string,
    public plan: Plan,
    public revision: number,
  ) {
    const { restconfPort, translation, follower, announcements, events } = serverState();
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
        field: () => follower?.snapshot() ?? null,
        translation,
        announcements: () =>
          announcements === null ? null : { ...announcements.state(), streams: announcements.streams() },
        switchReadings: () => switches?.readings() ?? NO_READINGS,
      },
      boardAfter(known, plan),
    );
    this.keepWatch();
  }

  reckoning(): Reckoning {
    this.reckoned = reckon(this.plan, this.reckoned);
    return this.reckoned;
  }

  bindings(field: FieldSnapshot): Bindings {
    return bindDevices(this.plan, field, serverState().translation);
  }

  /** Takes in a batch that is in the journal, and tells everyone. */
  advance(plan: Plan, message: ChangeMessage): void {
    this.plan = plan;
    this.revision = message.revision;
    this.tell('change', message);
    this.keepWatch();
    this.fieldChanged();
  }

  listen(author: Author, send: SendEvent): () => void {
    const listener = { author, send };
    this.listeners.add(listener);
    this.keepWatch();
    this.look(Date.now());
    const all: FieldMessage = { isFull: true, topics: this.inField.board.all(), events: this.log.events() };
    send('hello', JSON.stringify({ revision: this.revision }));
    send('field', JSON.stringify(all));
    this.tellPeople();
    this.lookSoon();
    return () => {
      this.listeners.delete(listener);
      this.keepWatch();
      this.tellPeople();
    };
  }

  /** Whether any browser looks at the plan. */
  get isLookedAt(): boolean {
    return this.listeners.size > 0;
  }

  /** Whether devices were sent anything for the plan: it is then watched whether or not somebody looks. */
  get isCarrying(): boolean {
    return this.plan.sentStreams.size > 0;
  }

  /** Notes what may have changed in the field; the plan is held against it a moment later. */
  fieldChanged(news?: FieldNews): void {
    if (news !== undefined) this.inField.noteField(news);
    this.hasNews = true;
    this.lookSoon();
  }

  /** Ends all that goes on by itself. */
  close(): void {
    this.switches?.stop();
    if (this.timer !== null) clearTimeout(this.timer);
    this.timer = null;
  }

  private keepWatch(): void {
    if (this.isLookedAt || this.isCarrying) this.switches?.start();
    else this.switches?.stop();
  }

  private lookSoon(): void {
    if (this.timer !== null || !(this.isLookedAt || this.isCarrying)) return;
    this.timer = setTimeout(
      () => {
        this.timer = null;
        const at = Date.now();
        if (this.hasNews) this.look(at);
        this.tellNews(at);
        // Some topics are told at a slower pace than others.
        if (this.inField.board.nextAt() !== null) this.lookSoon();
      },
      this.isLookedAt ? LOOK_MS : UNSEEN_LOOK_MS,
    );
    this.timer.unref();
  }

  private look(at: number): void {
    this.hasNews = false;
    try {
      for (const event of this.log.note(this.inField.update(at), at)) this.untoldEvents.set(event.id, event);
    } catch (error) {
      // Whatever the field tells, it must not end the watching, nor keep anyone out: the next news is looked at again.
      logger.error({ planId: this.id, err: error }, 'the plan could not be held against the field');
    }
  }

  private tellNews(at: number): void {
    const topics = this.inField.board.takeNews(at);
    const events = [...this.untoldEvents.values()];
    this.untoldEvents = new Map();
    if (topics !== null || events.length > 0) this.tell('field', { isFull: false, topics: topics ?? {}, events });
  }

  private tell(event: Parameters<SendEvent>[0], data: unknown): void {
    if (this.listeners.size === 0) return;
    const text = JSON.stringify(data);
    for (const listener of this.listeners) listener.send(event, text);
  }

  private tellPeople(): void {
    const people = [...new Map([...this.listeners].map((l) => [l.author.id, l.author])).values()];
    this.tell('people', { people });
  }
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
