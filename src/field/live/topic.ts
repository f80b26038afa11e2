import type { Plan } from '../../core/plan/plan';
import { sameValue } from '../../core/plan/same-value';
import type { PlanRef } from '../../core/plan/plan-ref';
import type { Reckoning } from '../../core/reckon/reckoning';
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

/** What live figures are read from. */
export interface LiveFacts {
  readonly plan: Plan;
  readonly reckoning: Reckoning;
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
  /** Null: no registry is set up, or it was never heard yet. */
  readonly field: FieldSnapshot | null;
  readonly bindings: Pick<Bindings, 'nodeByDevice' | 'boundBy' | 'contested' | 'translation'>;
  /** By node: the devices of the plan that are bound to it, or to a device of it. */
  readonly devicesByNode: ReadonlyMap<string, readonly string[]>;
  /** By the id of the IS-04 device: the other plan that runs it. */
  readonly runElsewhere: ReadonlyMap<string, PlanRef>;
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
  /** It was told before, and then it was gone. */
  readonly wasGone: boolean;
}

/** A live figure, declared once: what it is of, how it is read, how often it is told, how it ages, what counts as the same. */
export interface Topic<V> {
  readonly per: Subject;
  /** Changes within so long are told together. */
  readonly everyMs: number;
  /** Undefined: there is nothing to tell of it now. `last` is how it was read before; undefined: it was not. */
  readonly read: (key: string, facts: LiveFacts, last?: V, isFirstLook?: boolean) => V | undefined;
  /** Times within the value that say how old its evidence is. By themselves they are news once they differ by a step. */
  readonly ages?: { readonly fields: readonly string[]; readonly stepMs: number };
  /** What goes into the journal. The first look at the field is where it begins: nothing happened yet. */
  readonly happened?: (
    before: ReadonlyMap<string, V>,
    after: ReadonlyMap<string, V>,
    changed: readonly ChangedKey[],
  ) => readonly Happening[];
}

export const topic = <V>(declaration: Topic<V>): Topic<V> => declaration;

/** Whether two values of a topic tell the same: times that only say how old the evidence is do not count. */
export function tellSame<V>({ ages }: Topic<V>, a: V, b: V): boolean {
  return ages === undefined ? sameValue(a, b) : sameApartFrom(a, b, ages.fields, () => true);
}

/** Whether the second is no news after the first: it tells the same, from evidence that is not much younger. */
export function isNoNews<V>({ ages }: Topic<V>, a: V, b: V): boolean {
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
