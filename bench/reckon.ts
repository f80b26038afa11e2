// How long the core takes, beside one JSON.parse of the same plan in the same run. `npm run bench`
import { clocksOf } from '../src/core/clocks/clocks';
import { applyCommands } from '../src/core/plan/apply-commands';
import type { Command } from '../src/core/plan/commands';
import { readNetworkCsv, writeNetworkCsv } from '../src/core/formats/network-csv';
import { fileOfPlan, planOfFile, type PlanFile } from '../src/core/formats/plan-file';
import { deliveryOf, subnetOfPort } from '../src/core/network/delivery';
import { sumLoads } from '../src/core/network/loads';
import { treesOf, type Ends, type EndsFor } from '../src/core/network/stream-trees';
import { endAt, topologyOf } from '../src/core/network/topology';
import { importNetwork } from '../src/core/edits/import-network';
import { modelOf } from '../src/core/plan/plan';
import { reckon } from '../src/core/reckon/reckon';
import { planRepack } from '../src/core/reckon/repack-plan';
import type { Reckoning } from '../src/core/reckon/reckoning';
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

/** Where each device is plugged in, looked up once. */
function endsOfPlan({ plan, topology }: Reckoning): EndsFor {
  const known = new Map<string, Ends>();
  const endOf = (deviceId: string, leg: 'A' | 'B') => {
    const port = modelOf(plan, deviceId)?.ports.find((p) => p.role === leg);
    const subnetId = port ? subnetOfPort(plan, deviceId, port.name) : null;
    return port && subnetId ? endAt(topology, deviceId, port.name, subnetId) : null;
  };
  return (deviceId) => {
    let ends = known.get(deviceId);
    if (ends === undefined) known.set(deviceId, (ends = { A: endOf(deviceId, 'A'), B: endOf(deviceId, 'B') }));
    return ends;
  };
}

for (const [devices, runLength, wanted] of [
  [500, 8, undefined],
  [2000, 8, undefined],
  [2000, 4, undefined],
  [2000, 8, 100_000],
] as const) {
  const options = { devices, seed: 7, runLength, ...(wanted === undefined ? {} : { subscriptions: wanted }) };
  const text = JSON.stringify(fileOfPlan(planOfFile(generatePlan(options))));
  const plan = planOfFile(JSON.parse(text) as PlanFile);
  const before = reckon(plan);
  const switches = [...plan.devices.values()].filter((d) => plan.models.get(d.modelId)?.switching).length;
  const profileEnds = endsOfPlan(before);
  const [parseMs = 0, fullMs = 0, loadsMs = 0, clocksMs = 0] = time(
    31,
    () => JSON.parse(text),
    () => reckon(plan),
    () => {
      // All loads from nothing: routes, VLAN trees, the tree of every stream, the sums.
      const topology = topologyOf(plan);
      const frame = deliveryOf(plan, topology);
      const trees = new Map(
        [...before.streamsBySender].map(([id, streams]) => [
          id,
          treesOf(streams, profileEnds, topology, frame, plan.settings),
        ]),
      );
      sumLoads(topology, trees);
    },
    () => clocksOf(plan, before.topology),
  );

  const receiver = [...plan.subscriptions.keys()].sort()[Math.floor(plan.subscriptions.size / 2)] as string;
  const [first] = (plan.subscriptions.get(receiver) ?? new Map()).values();
  let channel = 0;
  const [editMs = 0] = time(51, () => {
    channel = (channel % 2) + 1;
    const subscription = { ...first, senderChannel: channel };
    const result = applyCommands(plan, [{ kind: 'subscribe', subscriptions: [subscription] }]);
    if (result.ok) reckon(result.plan, before);
  });
  const lanes = [...plan.subscriptions.values()].flatMap((feeds) => [...feeds.values()]).slice(0, 10_000);
  const commands = lanes.map((s): Command => ({ kind: 'subscribe', subscriptions: [{ ...s, senderChannel: 1 }] }));
  const [batchMs = 0, writesMs = 0] = time(
    15,
    () => applyCommands(plan, commands),
    () => {
      // The least that such a batch can cost: its records written into a map by receiver and channel.
      const written = new Map<string, Map<number, unknown>>();
      for (const s of lanes) {
        let own = written.get(s.receiverDeviceId);
        if (own === undefined)
          written.set(s.receiverDeviceId, (own = new Map(plan.subscriptions.get(s.receiverDeviceId))));
        own.set(s.receiverChannel, { ...s, senderChannel: 1 });
      }
    },
  );
  const { rows } = readNetworkCsv(writeNetworkCsv(plan));
  const longer = rows.map((row) => (row.metres === null ? row : { ...row, metres: String(Number(row.metres) + 1) }));
  const [sameMs = 0, differsMs = 0] = time(
    9,
    () => importNetwork(plan, rows),
    () => importNetwork(plan, longer),
  );
  const subscriptions = [...plan.subscriptions.values()].reduce((sum, feeds) => sum + feeds.size, 0);
  const { totals } = before;
  console.log(
    `${devices} devices, ${subscriptions} subscriptions, ${switches} switches, ${totals.streams} streams, ${totals.refusals} refusals, ` +
      `${(text.length / 1e6).toFixed(2)} MB`,
  );
  console.log(`  JSON.parse of the plan        ${parseMs.toFixed(2)} ms`);
  console.log(
    `  full reckon                   ${fullMs.toFixed(2)} ms   ${(fullMs / parseMs).toFixed(2)} x the parse (aim: under 3)`,
  );
  console.log(
    `  of it all loads, from nothing ${loadsMs.toFixed(2)} ms   ${((loadsMs / fullMs) * 100).toFixed(0)} % of the full reckon`,
  );
  console.log(
    `  of it clocks, from nothing    ${clocksMs.toFixed(2)} ms   ${before.clocks.network.clocks.size} clocks come to rest, ${((clocksMs / fullMs) * 100).toFixed(0)} % of the full reckon`,
  );
  console.log(`  one subscription, incremental ${editMs.toFixed(2)} ms   (aim: under ${devices === 500 ? 16 : 25})`);
  console.log(
    `  a batch of ${commands.length} commands        ${batchMs.toFixed(2)} ms   (so many map writes ${writesMs.toFixed(2)} ms)`,
  );
  const search = planRepack(before, { goal: 'streams', mayInterrupt: false });
  const startedAt = performance.now();
  for (const ms of [500, 2000, 4000]) {
    search.work(() => performance.now() - startedAt > ms);
    const { streams, fewestStreams, streamsBefore, load, loadBefore, casesDone, cases } = search.state();
    const gap = ((streams / fewestStreams - 1) * 100).toFixed(2);
    console.log(
      `  repacked after ${ms / 1000} s: ${streamsBefore} streams to ${streams}, bound ${fewestStreams}, gap ${gap} % (aim: under 5), ` +
        `load at the ends ${(loadBefore / 1e9).toFixed(1)} to ${(load / 1e9).toFixed(1)} Gb/s, ${casesDone} of ${cases} senders looked at`,
    );
  }
  console.log(
    `  table of ${rows.length} rows held against the plan ${sameMs.toFixed(2)} ms, each other by a metre ${differsMs.toFixed(2)} ms`,
  );
}
