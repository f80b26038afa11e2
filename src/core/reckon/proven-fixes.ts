import type { Finding } from '../findings/finding';
import { fixesFor, type Fix } from '../findings/fixes';
import { applyCommands } from '../plan/apply-commands';
import { reckon } from './reckon';
import { budgetFixes } from './budget-fixes';
import { budgetOfFinding } from './spenders';
import { lanesOfStream, type Reckoning } from './reckoning';

/** Findings whose way out depends on the whole network, so that a fix has to be tried before it is offered. */
const TRIED: ReadonlySet<Finding['about']> = new Set([
  'overload',
  'group-collision',
  'group-reserved',
  'legs-share-switch',
  'legs-share-cable',
  'legs-at-one-switch',
  'poe-budget',
  'poe-class',
  'control-apart',
  'two-grandmasters',
  'clock-tie',
  'priorities-default',
  'subnet-no-time',
  'relay-no-spare',
  'relay-unreachable',
  'grandmaster-no-spare',
  'profile-unmet',
  'intervals-differ',
  'domains-differ',
  'reference-missing',
  'reference-rate',
  'free-running',
  'free-running-sides',
  'version-1-alone',
]);

/** The fixes of a finding that really take it away. Costs a reckoning for each fix of the few kinds that are tried. */
export function provenFixes(reckoning: Reckoning, finding: Finding): Fix[] {
  const { plan } = reckoning;
  const isBudget = budgetOfFinding(finding) !== null;
  const known = fixesFor(plan, finding, (streamId) => lanesOfStream(reckoning, streamId));
  const fixes = isBudget ? [...budgetFixes(reckoning, finding), ...known] : known;
  if (!isBudget && !TRIED.has(finding.about)) return fixes;
  return fixes.filter(({ commands }) => {
    const applied = applyCommands(plan, commands);
    return applied.ok && !reckon(applied.plan, reckoning).findings.some((f) => f.id === finding.id);
  });
}
