import type { AnyRecord } from './changes';
import { declarationOf, TABLE_NAMES, type TableName } from './tables';
import type { PlanFileVersion } from './plan-file-version';
import type { Shape } from './shape';
import type { PointerDeclaration, WhenGone } from './table';

/** The declared pointers of all tables, made ready to be followed in both directions. */

export interface PointerField {
  readonly table: TableName;
  readonly to: TableName;
  readonly whenGone: WhenGone;
  readonly since: PlanFileVersion;
  /** The field is the owner's: all that points at a device stands together. */
  readonly isOwner: boolean;
  /** Whether a record can stand without what it points at. */
  readonly canBeEmpty: boolean;
  /** What the record points at; null where there is one field and nothing in it. */
  readonly targets: (record: AnyRecord) => string | null | readonly string[];
  /** The field that points at a target, e.g. `querierIds[2]`. */
  readonly fieldOf: (record: AnyRecord, target: string) => string;
  /** The record without what is gone. */
  readonly emptied: (record: AnyRecord, isGone: (target: string) => boolean) => AnyRecord;
}

const NOTHING: readonly string[] = [];

const isNullable = (shape: Shape<unknown> | undefined) =>
  (shape?.['anyOf'] as readonly Shape<unknown>[] | undefined)?.length === 2;

function fieldOf(table: TableName, declared: PointerDeclaration<AnyRecord>): PointerField {
  const { path, to, whenGone, appliesTo, since = 1 } = declared;
  const isList = path.includes('[]');
  const [outer = '', inner = ''] = isList ? path.split(/\[\]\.?/) : path.split('.');
  const inside = (value: unknown) =>
    inner === '' ? (value as string | null) : ((value as AnyRecord | null)?.[inner] as string | null);
  const listOf = (record: AnyRecord) => (record[outer] ?? NOTHING) as readonly unknown[];
  // A null in an entry of a list points nowhere.
  const targets = isList
    ? (record: AnyRecord) =>
        inner === ''
          ? (listOf(record) as readonly string[])
          : listOf(record)
              .map(inside)
              .filter((v) => v !== null)
    : (record: AnyRecord) => inside(record[outer]) ?? null;
  const emptied = isList
    ? (record: AnyRecord, isGone: (target: string) => boolean) => ({
        ...record,
        [outer]: listOf(record).filter((v) => inside(v) === null || !isGone(inside(v) as string)),
      })
    : (record: AnyRecord) => (declared.emptied ? declared.emptied(record) : { ...record, [outer]: null });
  return {
    table,
    to: to as TableName,
    whenGone,
    since,
    isOwner: declarationOf(table).owner === path,
    canBeEmpty: isList || declared.emptied !== undefined || isNullable(declarationOf(table).shape.properties[outer]),
    targets: appliesTo === undefined ? targets : (record) => (appliesTo(record) ? targets(record) : NOTHING),
    fieldOf: (record, target) => {
      if (!isList) return path;
      const index = listOf(record).findIndex((v) => inside(v) === target);
      return `${outer}[${index}]${inner === '' ? '' : `.${inner}`}`;
    },
    emptied,
  };
}

const all = TABLE_NAMES.flatMap((table) => declarationOf(table).pointsTo.map((r) => fieldOf(table, r)));

const grouped = (by: (r: PointerField) => TableName) =>
  Object.fromEntries(TABLE_NAMES.map((t) => [t, all.filter((r) => by(r) === t)])) as unknown as Readonly<
    Record<TableName, readonly PointerField[]>
  >;

/** What the records of a table point at. */
export const POINTERS_FROM = grouped((r) => r.table);
/** What points at the records of a table. */
export const POINTERS_TO = grouped((r) => r.to);

/** The first target of a pointer for which this holds; null: none. */
export function firstTarget(
  pointer: PointerField,
  record: AnyRecord,
  holds: (target: string) => boolean,
): string | null {
  const targets = pointer.targets(record);
  if (targets === null) return null;
  if (typeof targets === 'string') return holds(targets) ? targets : null;
  for (const target of targets) if (holds(target)) return target;
  return null;
}
