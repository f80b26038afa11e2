import { isDeepStrictEqual } from 'node:util';
import fc from 'fast-check';
import { skerryPoint } from '../../demo/skerry-point';
import { planOfFile } from '../formats/plan-file';
import { apply } from '../plan/test-plan';
import { brokenPlan } from '../plan/test-breaks';
import { provenFixes } from '../reckon/proven-fixes';
import { reckon } from '../reckon/reckon';

test('whatever is wrong with a plan, every fix that is offered can be applied, and the finding stands no more as it did', () => {
  fc.assert(
    fc.property(brokenPlan(planOfFile(skerryPoint())), (plan) => {
      const reckoning = reckon(plan);
      for (const finding of reckoning.findings) {
        for (const { commands } of provenFixes(reckoning, finding)) {
          const mended = reckon(apply(plan, ...commands), reckoning);
          // What it hid may stand in its place: an address is given, and then no router leads there.
          expect(mended.findings.filter((f) => isDeepStrictEqual(f, finding))).toEqual([]);
        }
      }
    }),
    { numRuns: 20 },
  );
});
