/** Something that happened in the field, by the ids of the plan. */
export type Happening =
  | {
      readonly what: 'grandmaster-changed';
      readonly deviceIds: readonly string[];
      readonly from: string | null;
      readonly to: string | null;
    }
  | { readonly what: 'second-grandmaster'; readonly deviceIds: readonly string[]; readonly gmids: readonly string[] }
  | { readonly what: 'one-grandmaster'; readonly deviceIds: readonly string[]; readonly gmid: string }
  | { readonly what: 'lock-lost'; readonly deviceIds: readonly string[] }
  | { readonly what: 'devices-gone' | 'devices-back'; readonly deviceIds: readonly string[] }
  | { readonly what: 'switches-silent' | 'switches-answer'; readonly deviceIds: readonly string[] }
  | { readonly what: 'cables-down' | 'cables-up'; readonly linkIds: readonly string[] }
  | { readonly what: 'registry-lost'; readonly because: string | null }
  | { readonly what: 'registry-back' };

/** An entry of the journal of the field. An entry may grow for a while: the same id then comes again, with more. */
export type LiveEvent = {
  readonly id: number;
  readonly at: number;
  /** How often it happened, where it happens again and again, and when last; missing: once. */
  readonly times?: number;
  readonly lastAt?: number;
} & Happening;

/** When it happened last. */
export const lastAtOf = ({ at, lastAt = at }: Pick<LiveEvent, 'at' | 'lastAt'>): number => lastAt;

/** Clocks that go to and fro are one entry that counts, as long as they do not rest for this long. */
const FLAPS: ReadonlySet<Happening['what']> = new Set([
  'grandmaster-changed',
  'second-grandmaster',
  'one-grandmaster',
  'lock-lost',
]);
const FLAP_MS = 60_000;

/** Like happenings within so long are one event: sixteen amplifiers behind one switch go together. */
const TOGETHER_MS = 3000;
const SHOWN_MAX = 50;

/** Where events are kept for good. */
export interface EventStore {
  /** Keeps a new event and gives it its id. */
  readonly add: (happening: Happening, at: number) => number;
  readonly grow: (event: LiveEvent) => void;
}

/** The newest events of a plan; all of them are in the store. */
export class EventLog {
  constructor(
    private list: readonly LiveEvent[],
    private readonly store: EventStore,
  ) {}

  /** The newest first. */
  events(): readonly LiveEvent[] {
    return this.list;
  }

  /** Enters what happened. Returns the entries that are new or have grown. */
  note(happenings: readonly Happening[], at: number): LiveEvent[] {
    const news = new Map<number, LiveEvent>();
    for (const happening of happenings) {
      const isNear = (e: LiveEvent, ms: number) => at - lastAtOf(e) <= ms && isLike(e, happening);
      const together = this.list.find((e) => isNear(e, TOGETHER_MS));
      const isAgain = together === undefined && FLAPS.has(happening.what);
      const like = isAgain ? this.list.find((e) => isNear(e, FLAP_MS)) : together;
      const again = isAgain && like !== undefined ? { times: (like.times ?? 1) + 1, lastAt: at } : {};
      const event =
        like === undefined
          ? { ...happening, id: this.store.add(happening, at), at }
          : ({ ...like, ...joined(like, happening), ...again } as LiveEvent);
      if (like !== undefined) this.store.grow(event);
      this.list = [event, ...this.list.filter((e) => e.id !== event.id)]
        .sort((a, b) => lastAtOf(b) - lastAtOf(a) || b.id - a.id)
        .slice(0, SHOWN_MAX);
      news.set(event.id, event);
    }
    return [...news.values()];
  }
}

/** What tells two happenings apart beside whom they are about. */
function kindOf(happening: Happening): string {
  switch (happening.what) {
    case 'grandmaster-changed':
      return JSON.stringify([happening.what, happening.from, happening.to]);
    case 'second-grandmaster':
      return JSON.stringify([happening.what, [...happening.gmids].sort()]);
    case 'one-grandmaster':
      return JSON.stringify([happening.what, happening.gmid]);
    case 'registry-lost':
      return JSON.stringify([happening.what, happening.because]);
    case 'lock-lost':
    case 'devices-gone':
    case 'devices-back':
    case 'switches-silent':
    case 'switches-answer':
    case 'cables-down':
    case 'cables-up':
    case 'registry-back':
      return happening.what;
  }
}

const isLike = (a: Happening, b: Happening): boolean => kindOf(a) === kindOf(b);

const union = (a: readonly string[], b: readonly string[]): string[] => [...new Set([...a, ...b])];

function joined(a: Happening, b: Happening): { deviceIds?: string[]; linkIds?: string[] } {
  if ('deviceIds' in a && 'deviceIds' in b) return { deviceIds: union(a.deviceIds, b.deviceIds) };
  if ('linkIds' in a && 'linkIds' in b) return { linkIds: union(a.linkIds, b.linkIds) };
  return {};
}
