import {
  channelFigures,
  clocks,
  contested,
  devices,
  fieldOnly,
  devicePatches,
  lanes,
  names,
  channelMappings,
  unknown,
} from './device-topics';
import { adapters, announcementPlaces, links, registry, sessions, switches } from './network-topics';
import type { Topic } from './topic';

/** Every live figure there is. One that is added here is read, aged, sent to browsers and entered in the journal by its declaration. */
export const TOPICS = {
  registry,
  adapters,
  devices,
  contested,
  names,
  clocks,
  channelMappings,
  devicePatches,
  channelFigures,
  lanes,
  fieldOnly,
  unknown,
  links,
  switches,
  announcementPlaces,
  sessions,
};

export type TopicName = keyof typeof TOPICS;
export type TopicValue<T extends TopicName> = (typeof TOPICS)[T] extends Topic<infer V, infer _> ? V : never;
export const TOPIC_NAMES = Object.keys(TOPICS) as TopicName[];

/** A figure as it is sent: since when it has been so, and what it is; nothing more: it is gone. Null: there is no such subject any more. */
export type Told<V> = readonly [since: number, value: V] | readonly [since: number] | null;

/** What is new of each topic, by key. */
export type TopicNews = { readonly [T in TopicName]?: Readonly<Record<string, Told<TopicValue<T>>>> };
