import type { Plan } from '../../core/plan/plan';
import { sameValue } from '../../core/plan/same-value';
import type { PlanRef } from '../../core/plan/plan-ref';
import type { AnnouncedSession } from '../../core/formats/sap';
import type { AnnouncementState } from '../announcements';
import type { AddressTranslation, Bindings } from '../binding';
import type { FieldSnapshot } from '../field-snapshot';
import type { DeviceLanes } from '../lane-state';
import type { SwitchReading } from '../switch-reader';
import type { Happening } from './happenings';

/** What a live figure is of: the field as a whole, or one of its parts by the id that plan, registry or announcer give it. */
export const SUBJECTS = [
  'field',
  'device',
  'receiver',
  'node',
  'link',
  'switch',
  'announcement-place',
  'session',
] as const;
export type Subject = (typeof SUBJECTS)[number];

/** What live figures are read from, but for the plan: see `OfPlan`. */
export interface LiveFacts {
  readonly translation: AddressTranslation | null;
  /** Null: no registry is set up. */
  readonly registry: Pick<
    FieldSnapshot,
    | 'registryUrl'
    | 'wasHeard'
    | 'isConnected'
    | 'disconnectedBecause'
    | 'noticedWithinMs'
    | 'notKnownAfterMs'
    | 'adapters'
  > | null;
  /** Null: no registry is set up, or it has never answered yet. */
  readonly field: FieldSnapshot | null;
  readonly bindings: Pick<Bindings, 'nodeByDevice' | 'boundBy' | 'contested' | 'translation'>;
  /** By node: for each device of the plan that is bound to it, to which device of it; null: to all of it. */
  readonly partsByNode: ReadonlyMap<string, readonly (string | null)[]>;
  /** By the id of the IS-04 device: the other plan that runs it. */
  readonly runElsewhere: ReadonlyMap<string, PlanRef>;
  /** Whether the plan has lanes there. */
  readonly isReceiver: (deviceId: string) => boolean;
  readonly lanesOf: (receiverId: string) => DeviceLanes | null;
  readonly announcements: AnnouncementsHeard | null;
  readonly switchReadings: ReadonlyMap<string, SwitchReading>;
}

interface AnnouncementsHeard {
  readonly places: AnnouncementState['places'];
  /** By announcer and the hash of its message. */
  readonly sessions: ReadonlyMap<string, AnnouncedSession>;
}

export interface ChangedKey {
  readonly key: string;
  /** It was there before, and then it was gone. */
  readonly wasGone: boolean;
}

/** What a figure reads of the plan, out of which tables. It is read again for a key as soon as that is something else for it. */
export interface OfPlan<Own> {
  readonly tables: readonly (keyof Plan)[];
  readonly take: (plan: Plan, key: string) => Own;
}

export const ofPlan = <const T extends keyof Plan, Own>(
  tables: readonly T[],
  take: (plan: Pick<Plan, T>, key: string) => Own,
): OfPlan<Own> => ({ tables, take });

/** What a figure is read with, beside the field. */
interface Known<V, Own> {
  /** What it reads of the plan. */
  readonly own: Own;
  /** How it was read before; undefined: it was not. */
  readonly last?: V | undefined;
  readonly isFirstLook?: boolean;
}

/** A live figure, declared once: what it is of, what it reads, how often it is sent, how it ages, what counts as the same. */
export interface Topic<V, Own = undefined> {
  readonly per: Subject;
  /** Changes within so long are sent together. */
  readonly everyMs: number;
  /** Missing: it reads nothing of the plan. */
  readonly ofPlan?: OfPlan<Own>;
  /** Undefined: there is nothing to tell of it now. */
  readonly read: (key: string, facts: LiveFacts, known: Known<V, Own>) => V | undefined;
  /** Times within the value that say how old its evidence is. By themselves they are news once they differ by a step. */
  readonly ages?: { readonly fields: readonly string[]; readonly stepMs: number };
  /** What goes into the journal. The first look at the field is where it begins: nothing happened yet. */
  readonly happened?: (
    before: ReadonlyMap<string, V>,
    after: ReadonlyMap<string, V>,
    changed: readonly ChangedKey[],
  ) => readonly Happening[];
}

export const topic = <V, Own = undefined>(declaration: Topic<V, Own>): Topic<V, Own> => declaration;

/** A topic as all of them are handled alike. */
export type AnyTopic = Topic<unknown, unknown>;

/** Reads a figure, with what it reads of the plan. */
export const figureOf = <V, Own>(
  { ofPlan: own, read }: Topic<V, Own>,
  key: string,
  facts: LiveFacts,
  plan: Plan,
  before: Omit<Known<V, Own>, 'own'> = {},
): V | undefined => read(key, facts, { ...before, own: own?.take(plan, key) as Own });

/** Whether two values of a topic tell the same: times that only say how old the evidence is do not count. */
export function tellSame({ ages }: AnyTopic, a: unknown, b: unknown): boolean {
  return ages === undefined ? sameValue(a, b) : sameApartFrom(a, b, ages.fields, () => true);
}

/** Whether the second is no news after the first: it tells the same, from evidence that is not much younger. */
export function isNoNews({ ages }: AnyTopic, a: unknown, b: unknown): boolean {
  if (ages === undefined) return sameValue(a, b);
  return sameApartFrom(a, b, ages.fields, (x, y) => Math.abs(x - y) < ages.stepMs);
}

function sameApartFrom(
  a: unknown,
  b: unknown,
  fields: readonly string[],
  isSameTime: (a: number, b: number) => boolean,
): boolean {
  if (a === b) return true;
  if (typeof a !== 'object' || typeof b !== 'object' || a === null || b === null) return false;
  if (Array.isArray(a) !== Array.isArray(b)) return false;
  const keys = Object.keys(a);
  if (keys.length !== Object.keys(b).length) return false;
  for (const key of keys) {
    const x = (a as Record<string, unknown>)[key];
    const y = (b as Record<string, unknown>)[key];
    if (typeof x === 'number' && typeof y === 'number' && fields.includes(key)) {
      if (!isSameTime(x, y)) return false;
    } else if (!(key in b) || !sameApartFrom(x, y, fields, isSameTime)) return false;
  }
  return true;
}
