import {
  PlanWriter,
  recordPlace,
  recordsIn,
  type AnyOwnedTable,
  type AnyRecord,
  type RecordChange,
  type RecordPlace,
} from './changes';
import { atOnce, type InSteps } from './in-steps';
import type { Plan } from './plan';
import { firstTarget, POINTERS_FROM, POINTERS_TO } from './points-to';
import { sameValue } from './same-value';
import { declarationOf, TABLE_NAMES, type RecordOfTable, type TableName } from './tables';

/** Why a change cannot be made: what names something that is not there, or is there already. Nothing was changed. */
export interface CommandProblem {
  readonly reason: 'unknown' | 'exists' | 'in-use' | 'out-of-range';
  /** Which field of which command of the batch, e.g. `commands[0].subscriptions[3].receiverChannel`. */
  readonly field: string;
  readonly value: string;
  readonly limit?: string;
}

/** Which part of a batch put or removed a record. */
export interface Origin {
  readonly command: number;
  /** The command's field, or its list of records. */
  readonly field: string;
  /** The place in the list; null: the field is the record itself. */
  readonly index: number | null;
  /** Records of another plan are held to what a plan file is held to, and no more. */
  readonly isAsItStands?: boolean;
}

interface Entry {
  readonly table: TableName;
  readonly place: RecordPlace;
  readonly before: AnyRecord | null;
  origin: Origin | null;
}

/**
 * What becomes of what no longer fits: a command is refused; what is brought back (undo, redo) leaves out what has gone
 * meanwhile and is refused where it cannot; a plan that is mended loses whatever would dangle, and no more.
 */
type Settling = 'command' | 'restoring' | 'mending';

/** What one look at the draft came to. */
type Round = CommandProblem | 'settled' | 'changed';

function fieldIn(origin: Origin | null, path: string): string {
  if (origin === null) return path;
  const at = `commands[${origin.command}].${origin.field}`;
  const whole = origin.index === null ? at : `${at}[${origin.index}]`;
  return path === '' ? whole : `${whole}.${path}`;
}

/**
 * A plan while a batch is applied to it. Records are put and removed freely; `settle` then holds the whole to what the tables
 * declare, in whatever order it was made. The cost is that of the records touched, and of the tables that they are in once.
 */
export class Draft {
  private readonly writer: PlanWriter;
  private readonly entries = new Map<TableName, Map<string | null, Map<string | number, Entry>>>();
  /** The tables as they stand, for questions. */
  readonly now: Plan;

  constructor(base: Plan) {
    const writer = new PlanWriter(base);
    this.writer = writer;
    const now = {};
    for (const table of TABLE_NAMES) {
      Object.defineProperty(now, table, {
        enumerable: true,
        get: () => (table === 'settings' ? writer.get(table, SETTINGS_PLACE) : writer.table(table)),
      });
    }
    this.now = now as Plan;
  }

  put<T extends TableName>(table: T, record: RecordOfTable[T], origin: Origin | null): void {
    const { normal, problem } = declarationOf(table);
    const isSound = normal === undefined || problem?.(record as AnyRecord) == null;
    const written = normal !== undefined && isSound ? normal(record as AnyRecord) : record;
    this.set(table, recordPlace(table, written), written as AnyRecord, origin);
  }

  remove(table: TableName, place: RecordPlace, origin: Origin | null): void {
    this.set(table, place, null, origin);
  }

  get<T extends TableName>(table: T, place: RecordPlace): RecordOfTable[T] | null {
    return this.writer.get(table, place) as RecordOfTable[T] | null;
  }

  private set(table: TableName, place: RecordPlace, record: AnyRecord | null, origin: Origin | null): void {
    let owners = this.entries.get(table);
    if (owners === undefined) this.entries.set(table, (owners = new Map()));
    let own = owners.get(place.owner);
    if (own === undefined) owners.set(place.owner, (own = new Map()));
    const known = own.get(place.key);
    if (known !== undefined) known.origin = origin ?? known.origin;
    else own.set(place.key, { table, place, before: this.writer.get(table, place) as AnyRecord | null, origin });
    this.writer.set(table, place, record);
  }

  private *touched(): Iterable<Entry> {
    for (const owners of this.entries.values()) for (const own of owners.values()) yield* own.values();
  }

  private entryOf(table: TableName, { owner, key }: RecordPlace): Entry | undefined {
    return this.entries.get(table)?.get(owner)?.get(key);
  }

  /**
   * Brings everything that follows from the changes: what points at a record that went goes along, is emptied, or forbids it;
   * what points at nothing is refused, or left out where it is brought back; what no longer fits likewise.
   */
  settle(how: Settling): CommandProblem | null {
    return atOnce(this.settleInSteps(how));
  }

  *settleInSteps(how: Settling): InSteps<CommandProblem | null> {
    const done = new Set<string>();
    // Each round removes or empties something, or is the last.
    for (;;) {
      const rounds = [this.followRemovals(how, done), yield* this.followPointers(how), yield* this.followFits(how)];
      const problem = rounds.find((round) => typeof round === 'object');
      if (typeof problem === 'object') return problem;
      if (!rounds.includes('changed')) break;
    }
    return how === 'command' ? this.putProblem() : null;
  }

  private goneFrom(table: TableName): Map<string, Entry> {
    const gone = new Map<string, Entry>();
    for (const entry of this.entries.get(table)?.get(null)?.values() ?? []) {
      if (entry.before !== null && this.writer.get(table, entry.place) === null)
        gone.set(String(entry.place.key), entry);
    }
    return gone;
  }

  private followRemovals(how: Settling, done: Set<string>): Round {
    let round: Round = 'settled';
    for (const table of TARGETS) {
      const gone = this.goneFrom(table);
      for (const key of gone.keys()) if (done.has(`${table}:${key}`)) gone.delete(key);
      if (gone.size === 0) continue;
      const isGone = (key: string) => gone.has(key);
      for (const pointer of POINTERS_TO[table]) {
        const held = pointer.isOwner ? this.ownedBy(pointer.table, gone.keys()) : this.recordsOf(pointer.table);
        for (const record of held) {
          const target = firstTarget(pointer, record, isGone);
          if (target === null) continue;
          const place = recordPlace(pointer.table, record);
          if (pointer.whenGone === 'refused' && how !== 'mending') {
            const { origin } = gone.get(target) as Entry;
            return { reason: 'in-use', field: fieldIn(origin, ''), value: String(place.owner ?? place.key) };
          }
          const isTaken = pointer.whenGone === 'taken-along' || (pointer.whenGone === 'refused' && !pointer.canBeEmpty);
          const after = isTaken ? null : pointer.emptied(record, isGone);
          this.set(pointer.table, place, after, null);
          round = 'changed';
        }
      }
      for (const key of gone.keys()) done.add(`${table}:${key}`);
    }
    return round;
  }

  private recordsOf(table: TableName): AnyRecord[] {
    return [...recordsIn(table, table === 'settings' ? this.now.settings : this.writer.table(table))];
  }

  private ownedBy(table: TableName, owners: Iterable<string>): AnyRecord[] {
    const owned = this.writer.table(table) as AnyOwnedTable;
    return [...owners].flatMap((owner) => [...(owned.get(owner)?.values() ?? [])]) as AnyRecord[];
  }

  /** The records of a table that were put. */
  private putInto(table: TableName): AnyRecord[] {
    const put: AnyRecord[] = [];
    for (const own of this.entries.get(table)?.values() ?? []) {
      for (const { place } of own.values()) {
        const record = this.writer.get(table, place) as AnyRecord | null;
        if (record !== null) put.push(record);
      }
    }
    return put;
  }

  /** Whether any record of a table that stays says otherwise in these fields. */
  private hasOther(table: TableName, fields: readonly string[] | 'every field'): boolean {
    for (const own of this.entries.get(table)?.values() ?? []) {
      for (const { place, before } of own.values()) {
        const after = this.writer.get(table, place) as AnyRecord | null;
        if (before === null || after === null) continue;
        if (fields === 'every field') {
          if (!sameValue(before, after)) return true;
        } else if (fields.some((field) => !sameValue(fieldOf(before, field), fieldOf(after, field)))) return true;
      }
    }
    return false;
  }

  private *followPointers(how: Settling): InSteps<Round> {
    let round: Round = 'settled';
    for (const [table, owners] of this.entries) {
      const pointers = POINTERS_FROM[table];
      if (pointers.length === 0) continue;
      yield;
      const looked = pointers.map((pointer) => ({
        pointer,
        isMissing: (target: string) => !this.writer.table(pointer.to).has(target),
      }));
      for (const own of owners.values()) {
        for (const { place, origin } of own.values()) {
          let record = this.writer.get(table, place) as AnyRecord | null;
          if (record === null) continue;
          for (const { pointer, isMissing } of looked) {
            const target = firstTarget(pointer, record, isMissing);
            if (target === null) continue;
            const { whenGone, canBeEmpty } = pointer;
            if (how === 'command' || (how === 'restoring' && whenGone === 'refused')) {
              return { reason: 'unknown', field: fieldIn(origin, pointer.fieldOf(record, target)), value: target };
            }
            const isTaken = whenGone === 'taken-along' || (whenGone === 'refused' && !canBeEmpty);
            record = isTaken ? null : pointer.emptied(record, isMissing);
            this.set(table, place, record, null);
            round = 'changed';
            if (record === null) break;
          }
        }
      }
    }
    return round;
  }

  private *followFits(how: Settling): InSteps<Round> {
    let round: Round = 'settled';
    for (const table of FITTED) {
      yield;
      const { reads, problem, whenUnfit } = declarationOf(table).fits as NonNullable<
        ReturnType<typeof declarationOf>['fits']
      >;
      const isAnyInDoubt = Object.entries(reads).some(([read, fields]) => this.hasOther(read as TableName, fields));
      for (const record of isAnyInDoubt ? this.recordsOf(table) : this.putInto(table)) {
        const unfit = problem(record, this.now);
        if (unfit === null) continue;
        const place = recordPlace(table, record);
        const own = this.entryOf(table, place);
        const isWished = how === 'command' && own?.origin != null;
        if (whenUnfit === 'taken-along' && !isWished) {
          this.set(table, place, null, null);
          round = 'changed';
          continue;
        }
        const mended =
          how === 'mending' ? POINTERS_FROM[table].find((r) => r.fieldOf(record, '') === unfit.path) : undefined;
        if (mended !== undefined) {
          this.set(
            table,
            place,
            mended.emptied(record, () => true),
            null,
          );
          round = 'changed';
          continue;
        }
        const { path, ...rest } = unfit;
        // Where the other one was changed, that is what is wrong.
        const other = this.entryOf(table, { owner: null, key: unfit.value });
        const origin = own?.origin ?? other?.origin ?? null;
        return { ...rest, field: fieldIn(origin, path) };
      }
    }
    return round;
  }

  private putProblem(): CommandProblem | null {
    for (const { table, place, origin } of this.touched()) {
      if (origin === null) continue;
      const record = this.writer.get(table, place) as AnyRecord | null;
      if (record === null) continue;
      const { problem, putProblem } = declarationOf(table);
      const found = problem?.(record) ?? (origin.isAsItStands ? null : putProblem?.(record, this.now)) ?? null;
      if (found === null) continue;
      const { path, ...rest } = found;
      return { ...rest, field: fieldIn(origin, path) };
    }
    return null;
  }

  /** Each record that is no longer what it was, once. */
  changes(): RecordChange[] {
    const changes: RecordChange[] = [];
    for (const { table, place, before } of this.touched()) {
      const after = this.writer.get(table, place);
      if (!sameValue(before, after)) changes.push({ table, before, after } as unknown as RecordChange);
    }
    return changes;
  }

  /** The plan as it stands. The draft is done with. */
  plan(): Plan {
    return this.writer.plan();
  }
}

const fieldOf = (record: AnyRecord, field: string): unknown => (record as unknown as Record<string, unknown>)[field];

const SETTINGS_PLACE: RecordPlace = { owner: null, key: 'settings' };
const TARGETS = TABLE_NAMES.filter((table) => POINTERS_TO[table].length > 0);
const FITTED = TABLE_NAMES.filter((table) => declarationOf(table).fits !== undefined);
