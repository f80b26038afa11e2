import type { InSteps } from '../plan/in-steps';
import type { Plan } from '../plan/plan';
import type { Facts } from '../reckon/facts';
import { inOrder, work, type Done } from '../reckon/step';
import { cableRule, oneSwitchRule } from './cables';
import { clockWayRule } from './clock-ways';
import { clockRule } from './clocks';
import { deviceRule } from './devices';
import {
  fieldAddressRule,
  fieldClockRule,
  fieldLinkRule,
  fieldMapRule,
  fieldNameRule,
  fieldPatchRule,
  batteryRule,
  substituteRule,
} from './field-rules';
import type { About, Finding } from './finding';
import type { Fix } from './fix';
import { laneRule } from './lanes';
import { groupRule, loadRule } from './loads';
import { multicastRule } from './multicast';
import { labelRule } from './names';
import type { LanesOfStream } from './network-fix';
import { freeRunningRule, rateRule } from './paces';
import { pathRule } from './paths';
import type { WayOut } from './rule';
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

/** Every rule about what the field reports. */
const FIELD_RULES = {
  fieldLinkRule,
  fieldAddressRule,
  fieldClockRule,
  fieldNameRule,
  fieldMapRule,
  fieldPatchRule,
  batteryRule,
  substituteRule,
} as const;

type Declared = (typeof RULES)[keyof typeof RULES] | (typeof FIELD_RULES)[keyof typeof FIELD_RULES];
type Found<R> = R extends { readonly finds: infer W } ? keyof W : never;
/** A kind of finding that no rule declares does not compile. */
type Undeclared = Exclude<About, Found<Declared>>;
const isEveryFindingDeclared: [Undeclared] extends [never] ? true : Undeclared = true;

interface AnyRule {
  readonly finds: Readonly<Partial<Record<About, WayOut<About>>>>;
  readonly reads: readonly string[];
  readonly find: unknown;
}
const all = [...Object.values(RULES), ...Object.values(FIELD_RULES)] as unknown as readonly AnyRule[];

const wayOutOf = new Map<About, WayOut<About>>(
  isEveryFindingDeclared ? all.flatMap((r) => Object.entries(r.finds) as [About, WayOut<About>][]) : [],
);

/** The kinds of findings that a rule declares, by the rule's name. */
export const FINDS: ReadonlyMap<string, readonly About[]> = new Map(
  Object.entries({ ...RULES, ...FIELD_RULES }).map(([name, r]) => [name, Object.keys(r.finds) as About[]]),
);

const stepsOf = (rules: Readonly<Record<string, unknown>>) =>
  Object.fromEntries(
    Object.entries(rules as Record<string, AnyRule>).map(([name, { reads, find }]) => [name, { reads, make: find }]),
  );
export const RULE_STEPS = stepsOf(RULES);
const RULE_ORDER = inOrder(RULE_STEPS);

function foundBy(rules: readonly string[], done: Done): Finding[] {
  return rules.flatMap((name) => done.get(name)?.made as readonly Finding[]);
}

/** What every rule finds. Rules that read nothing that changed since `done` find what they found then. */
export function* findAll(facts: Facts, done: Done | undefined): InSteps<{ findings: readonly Finding[]; done: Done }> {
  const after = yield* work(RULE_ORDER, RULE_STEPS, { ...facts }, done);
  return { findings: foundBy(Object.keys(RULES), after), done: after };
}

/** The fixes for a finding in this plan, the gentlest first. Pure; costs little, but is meant for one finding at a time. */
export function fixesFor(plan: Plan, finding: Finding, lanesOf: LanesOfStream = () => []): readonly Fix[] {
  return wayOutOf.get(finding.about)?.fixes(plan, finding as never, lanesOf) ?? [];
}

/** Whether the fixes of a finding have to be tried before they are offered. */
export function areFixesTried(finding: Finding): boolean {
  return wayOutOf.get(finding.about)?.areTried ?? true;
}
