import type { Happening } from './happenings';
import { isNoNews, tellSame, type AnyTopic, type ChangedKey } from './topic';
import { TOPIC_NAMES, TOPICS, type Told, type TopicName, type TopicNews, type TopicValue } from './topics';

interface Figure {
  /** Undefined: it was there once, and is gone. */
  readonly value: unknown;
  readonly since: number;
}

/** The topic as the board handles all of them alike. */
const topicOf = (name: TopicName): AnyTopic => TOPICS[name] as unknown as AnyTopic;

/**
 * The live figures of a plan as they were last read: what is new since they were last sent, each topic at its own pace, and
 * what happened. Times are given, so that it needs no clock.
 */
export class LiveBoard {
  private readonly figures = perTopic(() => new Map<string, Figure>());
  private readonly untold = perTopic(() => new Set<string>());
  private readonly toldAt = perTopic(() => -Infinity);

  /** Figures that are known to be gone since before the board was there, such as devices that were lost before a restart. */
  knowGone(name: TopicName, key: string, since: number): void {
    this.figures[name].set(key, { value: undefined, since });
  }

  keys(name: TopicName): Iterable<string> {
    return this.figures[name].keys();
  }

  /** A figure as it was read last; undefined: it was not, or is gone. */
  valueOf(name: TopicName, key: string): unknown {
    return this.figures[name].get(key)?.value;
  }

  /** Whether nothing of a topic was read yet. */
  isUnread(name: TopicName): boolean {
    return this.figures[name].size === 0;
  }

  /**
   * Takes in what was read: by key its value, undefined where there is nothing to tell, null where the subject itself is no
   * more. Returns what happened.
   */
  take(name: TopicName, read: ReadonlyMap<string, unknown>, at: number): readonly Happening[] {
    const topic = topicOf(name);
    const figures = this.figures[name];
    // What happened follows from all values before and after; before the first one nothing has.
    const before = topic.happened === undefined || figures.size === 0 ? null : this.valuesOf(name);
    const changed: ChangedKey[] = [];
    for (const [key, value] of read) {
      const known = figures.get(key);
      if (value === null) {
        if (figures.delete(key)) this.untold[name].add(key);
        continue;
      }
      if (known === undefined) {
        if (value === undefined) continue;
        figures.set(key, { value, since: at });
      } else {
        if (
          known.value === value ||
          (value !== undefined && known.value !== undefined && isNoNews(topic, known.value, value))
        )
          continue;
        const isSame = value !== undefined && known.value !== undefined && tellSame(topic, known.value, value);
        figures.set(key, { value, since: isSame ? known.since : at });
      }
      this.untold[name].add(key);
      changed.push({ key, wasGone: known !== undefined && known.value === undefined });
    }
    return before === null || changed.length === 0 ? [] : topic.happened!(before, this.valuesOf(name), changed);
  }

  /** The figures that there are now. */
  valuesOf<T extends TopicName>(name: T): ReadonlyMap<string, TopicValue<T>> {
    const values = new Map<string, TopicValue<T>>();
    for (const [key, { value }] of this.figures[name]) if (value !== undefined) values.set(key, value as TopicValue<T>);
    return values;
  }

  /** When the next news may be sent; null: there is none. */
  nextAt(): number | null {
    let next: number | null = null;
    for (const name of TOPIC_NAMES) {
      if (this.untold[name].size === 0) continue;
      const due = this.toldAt[name] + TOPICS[name].everyMs;
      if (next === null || due < next) next = due;
    }
    return next;
  }

  /** The news that may be sent now; null: none. It counts as sent. */
  takeNews(at: number): TopicNews | null {
    const news: Record<string, Record<string, Told<unknown>>> = {};
    for (const name of TOPIC_NAMES) {
      const untold = this.untold[name];
      if (untold.size === 0 || this.toldAt[name] + TOPICS[name].everyMs > at) continue;
      news[name] = Object.fromEntries([...untold].map((key) => [key, told(this.figures[name].get(key))]));
      untold.clear();
      this.toldAt[name] = at;
    }
    return Object.keys(news).length === 0 ? null : (news as TopicNews);
  }

  /** Everything there is. */
  all(): TopicNews {
    return Object.fromEntries(
      TOPIC_NAMES.filter((name) => this.figures[name].size > 0).map((name) => [
        name,
        Object.fromEntries([...this.figures[name]].map(([key, figure]) => [key, told(figure)])),
      ]),
    ) as TopicNews;
  }
}

function told(figure: Figure | undefined): Told<unknown> {
  if (figure === undefined) return null;
  return figure.value === undefined ? [figure.since] : [figure.since, figure.value];
}

function perTopic<T>(make: () => T): Record<TopicName, T> {
  return Object.fromEntries(TOPIC_NAMES.map((name) => [name, make()])) as Record<TopicName, T>;
}
