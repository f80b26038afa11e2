import type { InSteps } from '../plan/in-steps';
import type { Plan } from '../plan/plan';
import type { Facts } from '../reckon/facts';
import type { Done } from '../reckon/step';
import { cableRule, oneSwitchRule } from './cables';
import { clockWayRule } from './clock-ways';
import { CLOCK_WAYS } from './clock-fixes';
import { clockRule } from './clocks';
import { deviceRule } from './devices';
import { FIELD_RULES } from './field-rules';
import type { About, Finding } from './finding';
import type { Fix } from './fix';
import { LANE_AND_GEAR_WAYS } from './lane-and-gear-fixes';
import { laneRule } from './lanes';
import { groupRule, loadRule } from './loads';
import { multicastRule } from './multicast';
import { labelRule } from './names';
import type { LanesOfStream } from './network-fix';
import { NETWORK_WAYS } from './network-fixes';
import { freeRunningRule, rateRule } from './paces';
import { pathRule } from './paths';
import type { WayOut, WaysOut } from './rule';
import { runRules, type AnyRule, type Found } from './run-rules';
import { deadEndRule } from './dead-ends';
import { doubleRule } from './same-sound';
import {
  analogueRule,
  blockRule,
  busLevelRule,
  coherenceRule,
  loopRule,
  payloadRule,
  socketRule,
  tapRule,
  sideTrafficRule,
} from './signal';
import { SIGNAL_WAYS } from './signal-fixes';
import { SLOT_WAYS } from './slot-fixes';
import { slotRule } from './slots';
import { subnetRule } from './subnets';
import { switchRule } from './switches';
import { throughRule } from './through';
import { unknownFigureRule } from './unknown-figures';

/** Every rule about a plan, in the order in which findings are listed. */
const RULES = {
  deviceRule,
  unknownFigureRule,
  subnetRule,
  cableRule,
  oneSwitchRule,
  switchRule,
  loadRule,
  multicastRule,
  pathRule,
  groupRule,
  clockRule,
  clockWayRule,
  rateRule,
  freeRunningRule,
  labelRule,
  throughRule,
  loopRule,
  doubleRule,
  deadEndRule,
  blockRule,
  tapRule,
  socketRule,
  analogueRule,
  busLevelRule,
  coherenceRule,
  payloadRule,
  sideTrafficRule,
  slotRule,
  laneRule,
} as const;

type Declared = (typeof RULES)[keyof typeof RULES] | (typeof FIELD_RULES)[keyof typeof FIELD_RULES];
type Unfound = Exclude<About, Declared['finds'][number]>;
/** A kind of finding that no rule finds, or to which nobody has thought of a way out, does not compile. */
const WAYS: [Unfound] extends [never] ? WaysOut<About> : Unfound = {
  ...LANE_AND_GEAR_WAYS,
  ...NETWORK_WAYS,
  ...CLOCK_WAYS,
  ...SIGNAL_WAYS,
  ...SLOT_WAYS,
};

/** The kinds of findings that a rule finds, by the rule's name. */
export const FINDS: ReadonlyMap<string, readonly About[]> = new Map(
  Object.entries<AnyRule>({ ...RULES, ...FIELD_RULES }).map(([name, { finds }]) => [name, finds]),
);

/** What every rule about a plan finds. */
export const findAll = (facts: Facts, before: Done | undefined): InSteps<Found> => runRules(RULES, facts, before);

const wayOutOf = ({ about }: Finding): WayOut<About> => WAYS[about] as WayOut<About>;

/** The fixes for a finding in this plan, the gentlest first. Pure; costs little, but is meant for one finding at a time. */
export function fixesFor(plan: Plan, finding: Finding, lanesOf: LanesOfStream = () => []): readonly Fix[] {
  return wayOutOf(finding).fixes(plan, finding, lanesOf);
}

/** Whether the fixes of a finding have to be tried before they are offered. */
export function areFixesTried(finding: Finding): boolean {
  return wayOutOf(finding).areTried;
}
