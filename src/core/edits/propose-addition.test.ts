import { emptyPlan, interfacesOf } from '../plan/plan';
import { apply, modelNamed, planOf } from '../plan/test-plan';
import { proposeAddition } from './propose-addition';

const model = modelNamed('amp-8');
const empty = emptyPlan('Test');

test('from an empty plan: place and subnets are made on the way, and addresses are of them', () => {
  const plan = apply(
    empty,
    ...proposeAddition(empty, {
      model,
      count: 3,
      name: 'Amp',
      place: { make: 'Dome' },
      subnets: { A: { make: '10.1.0.7/24' }, B: { make: '10.2.0.0/24' }, control: null },
    }),
  );
  expect([...plan.places.values()].map((p) => p.name)).toEqual(['Dome']);
  expect([...plan.subnets.values()].map((s) => [s.name, s.cidr, s.role])).toEqual([
    ['Leg A', '10.1.0.0/24', 'A'],
    ['Leg B', '10.2.0.0/24', 'B'],
  ]);
  expect([...plan.devices.values()].map((d) => [d.name, d.placeId])).toEqual([
    ['Amp 1', 'dome'],
    ['Amp 2', 'dome'],
    ['Amp 3', 'dome'],
  ]);
  const address = (id: string, role: string) => interfacesOf(plan, id).get(role)?.address;
  expect([address('amp-1', 'A'), address('amp-3', 'B'), address('amp-1', 'control')]).toEqual([
    '10.1.0.10',
    '10.2.0.12',
    null,
  ]);
});

test('one prefix for two roles is one subnet; a second subnet of a role is told apart by its prefix', () => {
  const both = apply(
    empty,
    ...proposeAddition(empty, {
      ...{ model, count: 1, name: 'Amp', place: null },
      subnets: { A: { make: '10.1.0.0/24' }, control: { make: '10.1.0.0/24' } },
    }),
  );
  expect(both.subnets.size).toBe(1);
  const known = planOf({});
  const more = apply(
    known,
    ...proposeAddition(known, { model, count: 1, name: 'Amp', place: null, subnets: { A: { make: '10.7.0.0/24' } } }),
  );
  expect([...more.subnets.values()].map((s) => s.name)).toEqual(['Leg A', 'Leg A 10.7.0.0/24']);
});

test('no subnet is made for a leg that the model does not have, nor of what is no prefix', () => {
  const commands = proposeAddition(empty, {
    ...{ model: modelNamed('endpoint-2'), count: 1, name: 'Exhibit', place: null },
    subnets: { A: { make: 'ten dot one' }, B: { make: '10.2.0.0/24' } },
  });
  expect(commands.filter((c) => c.kind === 'put-subnet')).toEqual([]);
});
