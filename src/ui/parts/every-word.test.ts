import fc from 'fast-check';
import { fixesFor } from '@/core/findings/rules';
import type { Finding } from '@/core/findings/finding';
import { planOfFile } from '@/core/formats/plan-file';
import type { Plan } from '@/core/plan/plan';
import { brokenPlan } from '@/core/plan/test-breaks';
import { reckon } from '@/core/reckon/reckon';
import { skerryPoint } from '@/demo/skerry-point';
import { findingTitle, fixWords } from './finding-words';
import { longReason, shortReason } from './lane-words';

const start = planOfFile(skerryPoint());

/** Ids of devices that are unlike their names: where one shows, a word was forgotten. */
const idsOf = (plan: Plan) =>
  [...plan.devices.values()].filter((d) => d.id.includes('-') && !d.name.includes(d.id)).map((d) => d.id);

function mustBeWords(plan: Plan, text: string): void {
  expect(text).not.toMatch(/undefined|null|NaN|Infinity|\[object/);
  expect(text.trim()).not.toBe('');
  for (const id of idsOf(plan)) if (text.includes(id)) throw new Error(`the id ${id} shows in “${text}”`);
}

test('law: whatever is wrong with a plan is said in words, with names and figures and never an id', () => {
  const said = new Set<Finding['about']>();
  fc.assert(
    fc.property(brokenPlan(start), (plan) => {
      const reckoning = reckon(plan);
      for (const finding of reckoning.findings) {
        said.add(finding.about);
        mustBeWords(plan, findingTitle(plan, finding));
        for (const fix of fixesFor(plan, finding)) mustBeWords(plan, fixWords(plan, fix));
      }
      for (const lanes of reckoning.lanesByReceiver.values()) {
        for (const lane of lanes.values()) {
          if (lane.verdict !== 'refused') continue;
          const { senderDeviceId, receiverDeviceId } = lane.subscription;
          mustBeWords(plan, longReason(plan, lane.reason, senderDeviceId, receiverDeviceId));
          mustBeWords(plan, shortReason(lane.reason));
        }
      }
    }),
    { numRuns: 60 },
  );
  // The law is not kept because nothing is ever wrong.
  expect(said.size).toBeGreaterThan(12);
});
