// How long the core takes, beside one JSON.parse of the same plan in the same run. `npm run bench`
import { applyCommands } from '../src/core/plan/commands';
import { fileOfPlan, planOfFile, type PlanFile } from '../src/core/formats/plan-file';
import { reckon } from '../src/core/reckon/reckon';
import { generatePlan } from '../src/demo/generate';

function median(times: number[]): number {
  return times.sort((a, b) => a - b)[Math.floor(times.length / 2)] as number;
}

/** Median milliseconds of each task, run in turn so that all meet the same machine; a third of the rounds warms up. */
function time(rounds: number, ...tasks: (() => void)[]): number[] {
  const times = tasks.map(() => [] as number[]);
  for (let round = -Math.ceil(rounds / 2); round < rounds; round += 1) {
    for (const [index, task] of tasks.entries()) {
      const start = performance.now();
      task();
      if (round >= 0) times[index]?.push(performance.now() - start);
    }
  }
  return times.map(median);
}

for (const devices of [500, 2000]) {
  const text = JSON.stringify(fileOfPlan(planOfFile(generatePlan({ devices, seed: 7 }))));
  const plan = planOfFile(JSON.parse(text) as PlanFile);
  const [parseMs = 0, fullMs = 0] = time(
    31,
    () => JSON.parse(text),
    () => reckon(plan),
  );
  const before = reckon(plan);

  const receiver = [...plan.subscriptions.keys()].sort()[Math.floor(plan.subscriptions.size / 2)] as string;
  const [first] = (plan.subscriptions.get(receiver) ?? new Map()).values();
  let channel = 0;
  const [editMs = 0] = time(51, () => {
    channel = (channel % 2) + 1;
    const subscription = { ...first, senderChannel: channel };
    const result = applyCommands(plan, [{ kind: 'subscribe', subscriptions: [subscription] }]);
    if (result.ok) reckon(result.plan, before);
  });
  const subscriptions = [...plan.subscriptions.values()].reduce((sum, feeds) => sum + feeds.size, 0);
  const { totals } = before;
  console.log(
    `${devices} devices, ${subscriptions} subscriptions, ${totals.streams} streams, ${totals.refusals} refusals, ` +
      `${(text.length / 1e6).toFixed(2)} MB`,
  );
  console.log(`  JSON.parse of the plan        ${parseMs.toFixed(2)} ms`);
  console.log(
    `  full reckon                   ${fullMs.toFixed(2)} ms   ${(fullMs / parseMs).toFixed(2)} x the parse (aim: under 3)`,
  );
  console.log(`  one subscription, incremental ${editMs.toFixed(2)} ms   (aim: under ${devices === 500 ? 16 : 50})`);
}
