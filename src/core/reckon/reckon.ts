import { findAll } from '../findings/rules';
import { atOnce, type InSteps } from '../plan/in-steps';
import type { Plan } from '../plan/plan';
import { TABLE_NAMES } from '../plan/tables';
import type { Demand } from '../streams/packing';
import type { Facts } from './facts';
import { demandsBySender } from './packings';
import type { DeviceProfile } from './profile';
import type { Reckoning } from './reckoning';
import { RESULTS } from './results';
import { inOrder, work, type Done } from './step';
import { totalsOf } from './totals';

const ORDER = inOrder(RESULTS);

/** What a reckoning keeps for the next. */
interface Kept {
  readonly results: Done;
  readonly found: Done;
  readonly facts: Facts;
}

/**
 * Works out everything that follows from a plan. Pure and deterministic. Given the reckoning of an earlier version of the
 * plan, only what reads something that changed is worked out again, and what came out the same keeps its identity; the result is
 * equal to a full reckoning (a property test holds it to that, part by part).
 */
export const reckon = (plan: Plan, previous?: Reckoning): Reckoning => atOnce(reckonInSteps(plan, previous));

/** As `reckon`, step by step: a large plan takes seconds, its longest step a fraction of one. */
export function* reckonInSteps(plan: Plan, previous?: Reckoning): InSteps<Reckoning> {
  if (previous !== undefined && previous.plan === plan) return previous;
  const kept = previous?.workings as Kept | undefined;
  const facts: Record<string, unknown> = {};
  for (const table of TABLE_NAMES) facts[table] = plan[table];
  const results = yield* work(ORDER, RESULTS, facts, kept?.results);
  const known = facts as unknown as Facts;
  const { findings, done: found } = yield* findAll(known, kept?.found);
  return {
    plan,
    streamsBySender: known.streamsBySender,
    groupsByStream: known.groups.byStream,
    lanesByReceiver: known.lanesByReceiver,
    budgetByDevice: known.budgetByDevice,
    topology: known.topology,
    loadFrame: known.loadFrame,
    loads: known.loads,
    clocks: known.clockwork,
    signal: known.signal,
    signalFlow: known.signalFlow,
    findings,
    totals: totalsOf(known, findings),
    workings: { results, found, facts: known } satisfies Kept,
  };
}

/** What everyone wants of each sender whose streams can be packed otherwise. */
export function demandsToPack(reckoning: Reckoning): Map<string, Demand[]> {
  const { facts } = reckoning.workings as Kept;
  return demandsBySender(facts.deviceIds, facts);
}

/** What a device was reckoned with; null where its model is not known. */
export function profileOfDevice(reckoning: Reckoning, deviceId: string): DeviceProfile | null {
  return (reckoning.workings as Kept).facts.profiles.get(deviceId) ?? null;
}
