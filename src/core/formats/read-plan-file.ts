import { integrityProblems, planOfRecords, soundPlan, type IntegrityProblem } from '../plan/integrity';
import type { Plan } from '../plan/plan';
import { PLAN_FILE_VERSION, PLAN_FILE_VERSIONS, type PlanFileVersion } from '../plan/plan-file-version';
import { defaulted, exactly, list, partial, record, type Shape } from '../plan/shape';
import { declarationOf, TABLE_NAMES, type TableName } from '../plan/tables';
import { readDocument } from './json-document';
import { everyShapeProblem, shapeProblem, shapeProblems, type ShapeProblem } from './shape-check';
import { recordsOfFile, type PlanFile } from './plan-file';
import { onceFor } from '../plan/once-for';

export interface FileProblem extends ShapeProblem {
  /** Whose record it is: the name of its device, or its own. */
  readonly who?: string;
}
export type PlanFileResult =
  | { readonly ok: true; readonly plan: Plan }
  | { readonly ok: false; readonly problems: readonly FileProblem[] };

/** More than the largest plan has of anything. */
const RECORDS_MAX = 1_000_000;
const FILE_LIMITS = { depth: 32, values: 20_000_000 };

function tableShapes(version: number): Record<string, Shape<unknown>> {
  return Object.fromEntries(
    TABLE_NAMES.map((table) => {
      const { shape, since } = declarationOf(table);
      if (table === 'settings') return [table, shape];
      const records = list(shape, RECORDS_MAX);
      return [table, since <= version ? records : defaulted(records, [])];
    }),
  );
}

function fileShape(version: number): Shape<unknown> {
  return record({
    format: exactly('jade-lane-plan'),
    version: exactly(version),
    ...tableShapes(version),
  }) as Shape<unknown>;
}
const shapeByVersion = new Map(PLAN_FILE_VERSIONS.map((version) => [version, fileShape(version)]));

/** JSON Schema (draft 7) of a plan file. */
export const PLAN_FILE_SCHEMA = {
  $schema: 'http://json-schema.org/draft-07/schema#',
  title: 'Jade Lane plan',
  ...(shapeByVersion.get(PLAN_FILE_VERSION) as Shape<unknown>),
};

const partialShapes = new Map<TableName, Shape<unknown>>();

/**
 * What is wrong with one record (or, `isPartial`, with some of its fields) by the shape of its table; null when nothing is. Fills in
 * what may be missing, in place, so that a record is held to the same shape wherever it comes in.
 */
export function recordProblem(table: TableName, value: unknown, isPartial = false): FileProblem | null {
  const { shape } = declarationOf(table);
  if (!isPartial) return shapeProblem(shape, value);
  let some = partialShapes.get(table);
  if (some === undefined) partialShapes.set(table, (some = partial(shape, '')));
  return shapeProblem(some, value);
}

/** Reads a plan file: shape first, then that every record points at something that is there. Nothing is half read. */
export function readPlanFile(content: string): PlanFileResult {
  const read = readDocument(content, FILE_LIMITS);
  if (!read.ok) return read;
  const { document } = read;
  const version = (document as { version?: unknown } | null)?.version;
  const shape = shapeByVersion.get(version as PlanFileVersion);
  if (shape === undefined) return { ok: false, problems: versionProblems(document, version) };
  renameFields(document as Readonly<Record<string, unknown>>, version as number);
  const wrong = shapeProblems(shape, document);
  if (wrong.length > 0) return { ok: false, problems: everyProblem(shape, document, wrong) };
  const file = document as PlanFile;
  const records = recordsOfFile(file);
  const problems = integrityProblems(records, file.version, PROBLEMS_MAX)
    .map(fileProblem)
    .map((problem) => withOwner(problem, document));
  if (problems.length > 0) return { ok: false, problems };
  // What a file of an earlier version did not promise is mended.
  const plan = planOfRecords(records);
  return { ok: true, plan: file.version < PLAN_FILE_VERSION ? soundPlan(plan).plan : plan };
}

/** So many problems of a file are reported at once. */
const PROBLEMS_MAX = 500;
const OF_A_RECORD = 20;

/** All that is wrong by the shapes of the tables, record by record, each with the name of whose it is. */
function everyProblem(shape: Shape<unknown>, document: unknown, first: readonly FileProblem[]): readonly FileProblem[] {
  if (typeof document !== 'object' || document === null || Array.isArray(document)) return first;
  const problems: FileProblem[] = [];
  const { tables, frame } = partsOf(shape);
  problems.push(...everyShapeProblem(frame, document, OF_A_RECORD));
  for (const table of TABLE_NAMES) {
    const value = (document as Readonly<Record<string, unknown>>)[table];
    const of = tables[table];
    if (value === undefined || of === undefined) continue;
    const records: readonly unknown[] = table === 'settings' ? [value] : Array.isArray(value) ? value : [];
    for (let index = 0; index < records.length && problems.length < PROBLEMS_MAX; index += 1) {
      for (const { at, problem } of everyShapeProblem(of, records[index], OF_A_RECORD)) {
        const place = table === 'settings' ? '/settings' : `/${table}/${index}`;
        problems.push(withOwner({ at: at === '/' ? place : `${place}${at}`, problem }, document));
      }
    }
  }
  return problems.length > 0 ? problems.slice(0, PROBLEMS_MAX) : first;
}

/** The shapes of the records of each table, and that of the file without looking into them. */
const partsOf = onceFor((shape: Shape<unknown>) => {
  const properties = shape['properties'] as Readonly<Record<string, Shape<unknown>>>;
  const tables: Record<string, Shape<unknown>> = Object.fromEntries(
    TABLE_NAMES.map((table) => [table, declarationOf(table).shape as unknown as Shape<unknown>]),
  );
  const outer = Object.entries(properties).map(([name, of]) => [name, name in tables ? { type: of['type'] } : of]);
  return { tables, frame: { ...shape, properties: Object.fromEntries(outer) } as Shape<unknown> };
});

/** Names the device that a problem's record belongs to, or the record itself. */
function withOwner(problem: FileProblem, document: unknown): FileProblem {
  const [, table = '', index = ''] = problem.at.split('/');
  const records = (document as Readonly<Record<string, unknown>>)[table];
  const record = Array.isArray(records) ? (records[Number(index)] as Readonly<Record<string, unknown>> | null) : null;
  if (typeof record !== 'object' || record === null || !(TABLE_NAMES as readonly string[]).includes(table))
    return problem;
  const { owner } = declarationOf(table as TableName);
  const devices = (document as { devices?: unknown }).devices;
  const ownerId = owner === null ? undefined : record[owner];
  const holder = Array.isArray(devices)
    ? (devices as ({ id?: unknown; name?: unknown } | null)[]).find((d) => d?.id === ownerId && ownerId !== undefined)
    : undefined;
  const who = holder?.name ?? record['name'];
  return typeof who === 'string' && who !== '' ? { ...problem, who: who.slice(0, 200) } : problem;
}

/** Brings fields that this version of a file still has under an earlier name under the one of today, in place. */
function renameFields(document: Readonly<Record<string, unknown>>, version: number): void {
  for (const table of TABLE_NAMES) {
    const { renamed = [] } = declarationOf(table);
    for (const { path, to, since } of renamed) {
      if (version < since) for (const record of asList(document[table])) renameField(record, path.split('[].'), to);
    }
  }
}

function renameField(value: unknown, [name = '', ...further]: readonly string[], to: string): void {
  if (typeof value !== 'object' || value === null || !Object.hasOwn(value, name)) return;
  const record = value as Record<string, unknown>;
  if (further.length > 0) return asList(record[name]).forEach((item) => renameField(item, further, to));
  record[to] = record[name];
  delete record[name];
}

const asList = (value: unknown): readonly unknown[] => (Array.isArray(value) ? value : []);

function versionProblems(document: unknown, version: unknown): readonly FileProblem[] {
  if (typeof version === 'number' && version > PLAN_FILE_VERSION) {
    const problem = `is ${version}: written by a newer Jade Lane than this one, which reads up to ${PLAN_FILE_VERSION}`;
    return [{ at: '/version', problem }];
  }
  return shapeProblems(shapeByVersion.get(PLAN_FILE_VERSION) as Shape<unknown>, document);
}

function fileProblem({ table, index, path, is, value, limit }: IntegrityProblem): FileProblem {
  const field = path === '' ? '' : `/${path.replaceAll('.', '/').replace(/\[(\d+)\]/g, '/$1')}`;
  const at = table === 'settings' ? `/settings${field}` : `/${table}/${index}${field}`;
  if (is === 'twice') return { at, problem: `${value} is listed twice` };
  if (is === 'dangling') return { at, problem: `${value} is not in the file` };
  return { at, problem: limit === undefined ? `${value} does not fit` : `${value} is not ${limit}` };
}
