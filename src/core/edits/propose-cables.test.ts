import { modelNamed, apply, deviceOf, planOf } from '../plan/test-plan';
import type { Plan } from '../plan/plan';
import { likelySwitches, proposeCables } from './propose-cables';

const add = (plan: Plan, id: string, model: ReturnType<typeof modelNamed>): Plan =>
  apply(plan, { kind: 'put-model', model }, { kind: 'add-device', device: deviceOf(id, model) });

const consoleModel = modelNamed('console-72');
const endpoint = modelNamed('endpoint-2');
let plan = planOf({ one: consoleModel, two: consoleModel, exhibit: endpoint });
plan = add(plan, 'sw-a', modelNamed('edge-switch-24'));
plan = add(plan, 'sw-b', modelNamed('edge-switch-24'));
plan = add(plan, 'powered', modelNamed('edge-switch-16p'));

const ends = (proposal: ReturnType<typeof proposeCables>) =>
  proposal.links.map((l) => `${l.from.deviceId} ${l.from.port} > ${l.to.deviceId} ${l.to.port}`);

test('each leg goes into the next free ports of its switch, uplinks last, at the speed that both do', () => {
  const proposal = proposeCables(plan, {
    deviceIds: ['one', 'two'],
    switchByRole: { A: 'sw-a', B: 'sw-b', control: 'sw-a' },
    metres: 10,
  });
  expect(ends(proposal)).toEqual([
    'one Media A > sw-a Port 1',
    'two Media A > sw-a Port 2',
    'one Media B > sw-b Port 1',
    'two Media B > sw-b Port 2',
    'one Control > sw-a Port 3',
    'two Control > sw-a Port 4',
  ]);
  expect(proposal.links.map((l) => l.bitsPerSecond)).toEqual([1e9, 1e9, 1e9, 1e9, 1e8, 1e8]);
  expect(proposal.links[0]?.cable).toBe('cat6');
  const cabled = apply(plan, ...proposal.commands);
  expect(cabled.links.size).toBe(6);
  // A second time there is nothing left to plug in.
  const again = proposeCables(cabled, { deviceIds: ['one'], switchByRole: { A: 'sw-a', B: 'sw-b' }, metres: 10 });
  expect(again.links).toEqual([]);
  expect(again.left.map((l) => l.why)).toEqual(['plugged-in', 'plugged-in']);
});

test('what lives on the power of its cable goes only where power is supplied', () => {
  const bare = proposeCables(plan, { deviceIds: ['exhibit'], switchByRole: { A: 'sw-a' }, metres: 10 });
  expect(bare.left).toEqual([{ deviceId: 'exhibit', port: 'Media', why: 'no-power' }]);
  const fed = proposeCables(plan, { deviceIds: ['exhibit', 'one'], switchByRole: { A: 'powered' }, metres: 10 });
  expect(fed.left).toEqual([]);
});

test('a switch that is full is said to be, and every port is used once', () => {
  const many = Object.fromEntries(Array.from({ length: 30 }, (_, n) => [`c${n}`, consoleModel]));
  const big = add(planOf(many), 'sw', modelNamed('edge-switch-24'));
  const proposal = proposeCables(big, { deviceIds: Object.keys(many), switchByRole: { A: 'sw' }, metres: 10 });
  expect(proposal.links).toHaveLength(26);
  expect(new Set(proposal.links.map((l) => l.to.port)).size).toBe(26);
  expect(proposal.left.map((l) => l.why)).toEqual(['no-free-port', 'no-free-port', 'no-free-port', 'no-free-port']);
  expect(apply(big, ...proposal.commands).links.size).toBe(26);
});

test('the likely switch of a leg is where others of its subnet are; with none in use each leg has one of its own', () => {
  expect(likelySwitches(plan, ['one', 'two'])).toEqual({ A: 'sw-a', B: 'sw-b', control: 'powered' });
  const cabled = apply(
    plan,
    ...proposeCables(plan, { deviceIds: ['one'], switchByRole: { A: 'powered' }, metres: 5 }).commands,
  );
  expect(likelySwitches(cabled, ['two']).A).toBe('powered');
});

test('a media subnet without a querier gets the switch that it is plugged into, where that can ask; one that has it keeps it', () => {
  const wish = { deviceIds: ['one', 'two'], switchByRole: { A: 'sw-a' }, metres: 10 };
  const proposal = proposeCables(plan, wish);
  expect(proposal.queriers).toEqual([{ subnetId: 'a', switchId: 'sw-a' }]);
  const cabled = apply(plan, ...proposal.commands);
  expect(cabled.subnets.get('a')?.querierIds).toEqual(['sw-a']);
  expect(proposeCables(cabled, { ...wish, deviceIds: ['exhibit'], switchByRole: { A: 'powered' } }).queriers).toEqual(
    [],
  );
  const office = add(plan, 'office', modelNamed('office-switch-8'));
  expect(proposeCables(office, { ...wish, switchByRole: { A: 'office' } }).queriers).toEqual([]);
});
