import type { PlanFileVersion } from './plan-file-version';
import type { RecordShape } from './shape';

/**
 * A kind of record is declared once, in the folder of its subject. From the declarations (gathered in `tables.ts`) follow the
 * type of the plan and its empty value, commands, the plan file and its schema, integrity, taking records over from another plan, copying, storage,
 * validation at the edge, and arbitrary values for property tests.
 */

/** What becomes of a record when one that it points at goes. */
export type WhenGone =
  /** The record goes too. */
  | 'taken-along'
  /** The field becomes null, or the entry leaves its list. */
  | 'emptied'
  /** The other one cannot go while this points at it. */
  | 'refused';

export interface PointerDeclaration<R> {
  /** Where the key stands: `placeId`, `from.deviceId`, `querierIds[]`, `receivers[].deviceId`. */
  readonly path: string;
  readonly to: string;
  readonly whenGone: WhenGone;
  /** Only records for which this holds point there; missing: all do. */
  readonly appliesTo?: (record: R) => boolean;
  /** How the record looks afterwards, where more than the field changes. */
  readonly emptied?: (record: R) => R;
  /** Not looked at before this version: older files in which nothing is there are mended as if it had gone. */
  readonly since?: PlanFileVersion;
}

export interface FieldProblem {
  readonly reason: 'unknown' | 'in-use' | 'out-of-range';
  /** Within the record. */
  readonly path: string;
  readonly value: string;
  readonly limit?: string;
}

/** What has to hold between a record and others, whatever is changed and by whom. */
interface FitDeclaration<R, P> {
  /**
   * The tables whose changes can break it, and the fields of theirs that count. A record that comes or goes breaks nothing by that: what points
   * at it is held to by its pointers.
   */
  readonly reads: Readonly<Record<string, readonly string[] | 'every field'>>;
  readonly problem: (record: R, plan: P) => FieldProblem | null;
  /** What becomes of a record that no longer fits because others changed. */
  readonly whenUnfit: 'taken-along' | 'refused';
}

interface CommandWords {
  /** `put-<noun>` and `remove-<noun>`. */
  readonly noun: string;
  /** The field of a put command that holds the record. */
  readonly as: string;
  /** The field of a remove command that holds the id; missing for owned records, which are named by their own key fields. */
  readonly id?: string;
}

/** A field that files of earlier versions have under another name. */
interface RenamedField {
  /** Where the old name stands: `slot`, `receivers[].slot`. */
  readonly path: string;
  readonly to: string;
  /** The first version with the new name. */
  readonly since: PlanFileVersion;
}

export interface TableDeclaration<R = unknown, P = unknown> {
  readonly shape: RecordShape<R>;
  /** The field with the id of the device that the record belongs to; null: it stands by itself. */
  readonly owner: string | null;
  /** The fields that tell it from the owner's others; without an owner `id`. */
  readonly key: readonly string[];
  /** The plan-file version with which the table came: older files have none of it. */
  readonly since: PlanFileVersion;
  readonly renamed?: readonly RenamedField[];
  /** Missing: records are put and removed by commands of their own, or many at once. */
  readonly command?: CommandWords;
  readonly pointsTo: readonly PointerDeclaration<R>[];
  /** Written by the server alone, never at a browser's wish. */
  readonly isServerOnly?: boolean;
  /** What another plan takes of it when the two are merged: its records, or nothing. */
  readonly merges: 'records' | 'never';
  /** Brings what a person may write in several ways into one. */
  readonly normal?: (record: R) => R;
  /** What is wrong with the record by itself, beyond its shape. */
  readonly problem?: (record: R) => FieldProblem | null;
  readonly fits?: FitDeclaration<R, P>;
  /** What nobody may newly put, though a plan that has it can stand (a model may have lost channels since). */
  readonly putProblem?: (record: R, plan: P) => FieldProblem | null;
  /** How it is called in a list of differences, by the names of devices. */
  readonly nameOf: (record: R, deviceName: (deviceId: string) => string) => string;
}

/** Declares a table. The result keeps its literal types: which key, which words. */
export const table =
  <R>(shape: RecordShape<R>) =>
  <const D extends Omit<TableDeclaration<R, never>, 'shape'>>(
    declaration: D,
  ): D & { readonly shape: RecordShape<R> } => ({
    ...declaration,
    shape,
  });
