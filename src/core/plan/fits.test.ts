import fc from 'fast-check';
import { applyCommands } from './apply-commands';
import { recordsIn, type AnyRecord } from './changes';
import type { Command } from './commands';
import type { Plan } from './plan';
import type { Device } from './devices-table';
import { PLAIN_CHANNEL } from '../signal/channel-settings-table';
import { declarationOf, TABLE_NAMES, type TableName } from './tables';
import { arbitraryPlan } from './test-arbitrary';
import { apply, modelNamed, planOf } from './test-plan';
import { expectSame } from './test-same';

type Fits = NonNullable<ReturnType<typeof declarationOf>['fits']>;
const fitted = TABLE_NAMES.flatMap((table) => {
  const fits = declarationOf(table).fits as Fits | undefined;
  return fits === undefined ? [] : [{ table, fits }];
});

/** A plan that notes which fields of which tables are read, as `table.field`. */
function noting(plan: Plan, read: Set<string>): Plan {
  const record = (table: string, value: object) =>
    new Proxy(value, {
      get: (target, field) => {
        read.add(`${table}.${String(field)}`);
        return Reflect.get(target, field) as unknown;
      },
    });
  const tables = TABLE_NAMES.map((table) => {
    const rows = plan[table] as unknown as ReadonlyMap<string, object>;
    if (table === 'settings') return [table, record(table, rows)] as const;
    return [table, { size: rows.size, get: (key: string) => rows.get(key) && record(table, rows.get(key)!) }] as const;
  });
  return Object.fromEntries(tables) as unknown as Plan;
}

const recordsOf = (plan: Plan, table: TableName) => [...recordsIn(table, plan[table])] as AnyRecord[];

describe('what has to hold between records', () => {
  test('law: nothing is read of other records but what the table says that it reads', () => {
    const seen = new Set<string>();
    fc.assert(
      fc.property(arbitraryPlan(), (plan) => {
        for (const { table, fits } of fitted) {
          const read = new Set<string>();
          for (const one of recordsOf(plan, table)) fits.problem(one as never, noting(plan, read) as never);
          const reads = Object.entries(fits.reads).flatMap(([from, fields]) =>
            fields === 'every field' ? [`${from}.`] : fields.map((field) => `${from}.${field}`),
          );
          for (const field of read) {
            const isTold = reads.some((r) => (r.endsWith('.') ? field.startsWith(r) : field === r));
            expectSame([table, field, isTold], [table, field, true]);
            seen.add(`${table} ${field.split('.')[0]}`);
          }
        }
      }),
      { numRuns: 60 },
    );
    // The law is of no use where nothing is read.
    for (const { table } of fitted)
      expect([table, [...seen].some((s) => s.startsWith(`${table} `))]).toEqual([table, true]);
  });

  const desk = modelNamed('console-72');
  const change = (deviceId: string, to: Partial<Device>): Command => ({ kind: 'change-device', deviceId, change: to });
  const held = (plan: Plan) => [...(plan.channelSettings.get('desk')?.values() ?? [])].length;
  const settings = { ...PLAIN_CHANNEL, deviceId: 'desk', terminalId: 'mic-in', channel: 1, gainDb: 20 };

  test('what the batch cannot have made unfit is not looked at: an edit costs what it changes', () => {
    const own = { ...settings, gainDb: 10_000 };
    const plan = {
      ...planOf({ desk, amp: modelNamed('amp-8') }),
      channelSettings: new Map([['desk', new Map([['mic-in/1', own]])]]),
    };
    expect(held(apply(plan, change('desk', { name: 'Loft' }), change('amp', { name: 'Dome' })))).toBe(1);
    expect(held(apply(plan, { kind: 'put-model', model: { ...desk, name: 'Looked at' } }))).toBe(0);
  });

  test('a new name breaks nothing; another model takes along what fits it no more', () => {
    const plan = apply(planOf({ desk, amp: modelNamed('amp-8') }), {
      kind: 'put-channel-settings',
      settings,
    });
    expect(held(plan)).toBe(1);
    expect(held(apply(plan, change('desk', { name: 'Loft' })))).toBe(1);
    const amp = plan.devices.get('amp')!.modelId;
    const other = applyCommands(plan, [change('desk', { modelId: amp })]);
    expect(other.ok && held(other.plan)).toBe(0);
  });
});
