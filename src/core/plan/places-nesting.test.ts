import { applyCommands } from './apply-commands';
import type { Command } from './commands';
import { emptyPlan, type Plan } from './plan';
import { PLACES_DEEP } from './places-table';

const put = (id: string, parentId: string | null): Command => ({
  kind: 'put-place',
  place: { id, name: id, parentId },
});
const chain = (name: string, count: number, under: string | null = null): Command[] =>
  Array.from({ length: count }, (_, n) => put(`${name}${n}`, n === 0 ? under : `${name}${n - 1}`));
const done = (plan: Plan, commands: Command[]): Plan => {
  const result = applyCommands(plan, commands);
  if (!result.ok) throw new Error(`${result.problem.field}: ${result.problem.limit ?? result.problem.reason}`);
  return result.plan;
};

test('places nest to a depth, also those below a place that is moved', () => {
  const plan = done(emptyPlan('p'), chain('a', PLACES_DEEP));
  expect(() => done(plan, [put('deeper', `a${PLACES_DEEP - 1}`)])).toThrow('at most 32 deep');
  const two = done(plan, chain('b', 4));
  expect(() => done(two, [put('a0', 'b3')])).toThrow('at most 32 deep');
  expect(() => done(two, [put('b0', 'b3')])).toThrow('in-use');
});

test('twenty thousand places each inside the one before are refused at once', () => {
  const began = performance.now();
  expect(() => done(emptyPlan('p'), chain('a', 20_000))).toThrow('at most 32 deep');
  expect(performance.now() - began).toBeLessThan(5000);
});
