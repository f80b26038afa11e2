import type { FieldMessage } from '@/server/messages';
import { lastAtOf, type LiveEvent } from '@/field/live/happenings';
import type { TopicName, TopicNews, TopicValue } from '@/field/live/topics';

/** What devices and switches report, as the page holds it: by topic and key, each map the same for as long as nothing in it changed. */
export type FieldView = { readonly [T in TopicName]: ReadonlyMap<string, TopicValue<T>> } & {
  /** Since when each figure has been as it is, or gone: a key that has a time and no value was there before. */
  readonly since: { readonly [T in TopicName]: ReadonlyMap<string, number> };
  /** The newest first. */
  readonly events: readonly LiveEvent[];
};

/** Nothing is known of any device. */
export const NO_FIELD: FieldView = {
  ...noFigures(),
  since: noFigures(),
  events: [],
};

function noFigures() {
  return {
    registry: new Map<string, never>(),
    adapters: new Map<string, never>(),
    devices: new Map<string, never>(),
    contested: new Map<string, never>(),
    names: new Map<string, never>(),
    clocks: new Map<string, never>(),
    channelMappings: new Map<string, never>(),
    devicePatches: new Map<string, never>(),
    channelFigures: new Map<string, never>(),
    lanes: new Map<string, never>(),
    fieldOnly: new Map<string, never>(),
    unknown: new Map<string, never>(),
    links: new Map<string, never>(),
    switches: new Map<string, never>(),
    announcementPlaces: new Map<string, never>(),
    sessions: new Map<string, never>(),
  };
}

const EVENTS_MAX = 50;

/** What is known after a message: news names only what changed. */
export function mergedField(known: FieldView, message: FieldMessage): FieldView {
  const field = message.isFull ? NO_FIELD : known;
  const figures: Partial<Record<TopicName, ReadonlyMap<string, unknown>>> = {};
  const since: Partial<Record<TopicName, ReadonlyMap<string, number>>> = {};
  for (const [name, news] of Object.entries(message.topics) as [TopicName, NonNullable<TopicNews[TopicName]>][]) {
    const values = new Map<string, unknown>(field[name]);
    const times = new Map(field.since[name]);
    for (const [key, told] of Object.entries(news)) {
      if (told === null || told.length === 1) values.delete(key);
      else values.set(key, told[1]);
      if (told === null) times.delete(key);
      else times.set(key, told[0]);
    }
    figures[name] = values;
    since[name] = times;
  }
  return {
    ...field,
    ...figures,
    since: { ...field.since, ...since },
    events: mergedEvents(field.events, message.events),
  } as FieldView;
}

function mergedEvents(known: readonly LiveEvent[], news: readonly LiveEvent[]): readonly LiveEvent[] {
  if (news.length === 0) return known;
  const byId = new Map([...known, ...news].map((event) => [event.id, event]));
  return [...byId.values()].sort((a, b) => lastAtOf(b) - lastAtOf(a) || b.id - a.id).slice(0, EVENTS_MAX);
}
