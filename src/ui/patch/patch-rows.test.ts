import { skerryPoint } from '@/demo/skerry-point';
import { fileOfPlan, planOfFile } from '@/core/formats/plan-file';
import { terminalsOf } from '@/core/signal/terminals';
import { reckonDesk } from '@/workers/reckon-desk';
import { COLUMNS, endOfKey, jointsOf, keyOf, ribbonsOf, rowsOf } from './patch-rows';

const plan = planOfFile(skerryPoint());
const desk = reckonDesk();
desk.load(fileOfPlan(plan));
const rowsFor = (deviceId: string, filter: Partial<Parameters<typeof rowsOf>[2]> = {}) =>
  rowsOf(terminalsOf(plan.models.get(plan.devices.get(deviceId)!.modelId)!), desk.patch(deviceId)!.channels, {
    text: '',
    onlyInUse: false,
    folded: new Map(),
    ...filter,
  });
const titles = (rows: ReturnType<typeof rowsFor>) =>
  COLUMNS.map((c) =>
    rows[c].flatMap((r) => (r.kind === 'terminal' ? [`${r.terminal.name}${r.isFolded ? ' …' : ''}`] : [])),
  );

test('sockets come before links and the network; what nothing is planned for is folded', () => {
  expect(titles(rowsFor('loft-console'))).toEqual([
    ['Mic in', 'MADI in …', 'Network in'],
    ['Strip', 'Bus', 'Direct out', 'Monitor'],
    ['Line out', 'Phones', 'MADI out …', 'Network out'],
  ]);
  expect(
    titles(
      rowsFor('loft-console', {
        folded: new Map([
          ['madi-in', false],
          ['strips', true],
        ]),
      }),
    ).map((t) => t[0]),
  ).toEqual(['Mic in', 'Strip …', 'Line out']);
});

test('a filter finds by the name that a sound has at its socket, and opens what is folded', () => {
  const rows = rowsFor('loft-console', { text: 'hydrophone near' });
  expect(rows.in.map((r) => r.key)).toEqual(['#network-in', 'network-in:2']);
  expect(rows.inside.map((r) => r.key).slice(0, 2)).toEqual(['#strips', 'strips:2']);
  expect(rowsFor('loft-console', { onlyInUse: true }).in.filter((r) => r.kind === 'channel').length).toBeLessThan(72);
});

test('strips that run in step are one ribbon, and an exception stands apart', () => {
  const rows = rowsFor('loft-console');
  const joints = jointsOf('loft-console', rows.in, rows.inside);
  const strips = joints.filter((j) => j.fedKey.startsWith('strips:'));
  expect(strips).toHaveLength(72);
  const ribbons = ribbonsOf(strips, () => false);
  expect(ribbons.map((r) => [r.fedKeys.length, r.first.fromKey])).toEqual([
    [71, 'network-in:1'],
    [1, 'mic-in:1'],
  ]);
  // What is looked at is drawn by itself.
  expect(ribbonsOf(strips, (j) => j.fedKey === 'strips:10').map((r) => r.fedKeys.length)).toEqual([9, 1, 61, 1]);
});

test('folded inputs are joined at their heading', () => {
  const rows = rowsFor('loft-console', { folded: new Map([['network-in', true]]) });
  const place = rows.in.findIndex((r) => r.key === '#network-in');
  const joints = jointsOf('loft-console', rows.in, rows.inside).filter((j) => j.fedKey === 'strips:5');
  expect(joints).toMatchObject([{ from: place }]);
});

test('a channel in the address of the page', () => {
  expect(endOfKey(keyOf('mic-in', 3))).toEqual({ terminalId: 'mic-in', channel: 3 });
  expect(endOfKey('a:b:12')).toEqual({ terminalId: 'a:b', channel: 12 });
  for (const wrong of ['mic-in', '#mic-in:3', ':3', 'mic-in:0', 'mic-in:x', '']) expect(endOfKey(wrong)).toBeNull();
});
