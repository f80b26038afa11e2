// What news of the field costs a plan that is watched, beside a first look at everything. `npm run bench:live`
import { fileOfPlan, planOfFile } from '../src/core/formats/plan-file';
import { reckon } from '../src/core/reckon/reckon';
import { generatePlan } from '../src/demo/generate';
import { PlanInField } from '../src/field/live/plan-in-field';
import { TestField } from '../src/field/live/test-field';

const translation = { from: '10.', to: '127.' };
const median = (times: number[]): number => times.sort((a, b) => a - b)[Math.floor(times.length / 2)] as number;

for (const devices of [500, 2000]) {
  const plan = planOfFile(fileOfPlan(planOfFile(generatePlan({ devices, seed: 7, runLength: 8 }))));
  const reckoning = reckon(plan);
  const field = new TestField(translation);
  const ids = [...plan.devices.keys()];
  for (const id of ids) field.plug(plan, id);
  for (const id of ids) field.obey(reckoning, id, 0);
  const sources = {
    reckoning: () => reckoning,
    field: () => field.snapshot(),
    translation,
    announcements: () => null,
    switchReadings: () => new Map<string, never>(),
  };
  const firstLooks: number[] = [];
  for (let n = 0; n < 7; n += 1) {
    const start = performance.now();
    new PlanInField(sources).update(n);
    firstLooks.push(performance.now() - start);
  }
  const live = new PlanInField(sources);
  live.update(0);
  const allBytes = JSON.stringify(live.board.all()).length;
  field.takeNews();
  live.board.takeNews(0);
  const news: number[] = [];
  let bytes = 0;
  const senders = [...reckoning.streamsBySender.keys()];
  for (let n = 0; n < 60; n += 1) {
    const id = senders[n % senders.length] as string;
    field.obey(reckoning, id, 100_000 * (n + 1));
    const start = performance.now();
    live.noteField(field.takeNews());
    live.update(100_000 * (n + 1));
    const told = JSON.stringify(live.board.takeNews(100_000 * (n + 1)));
    news.push(performance.now() - start);
    bytes = Math.max(bytes, told.length);
  }
  console.log(
    `${devices} devices, ${live.board.all().devices === undefined ? 0 : Object.keys(live.board.all().devices!).length} of them there`,
  );
  console.log(
    `  a first look at everything       ${median(firstLooks).toFixed(2)} ms, ${(allBytes / 1e6).toFixed(2)} MB to tell`,
  );
  console.log(
    `  news of one sending device       ${median(news).toFixed(2)} ms, at most ${(bytes / 1e3).toFixed(1)} kB to tell   ` +
      `(${(median(firstLooks) / median(news)).toFixed(0)} times less)`,
  );
}
