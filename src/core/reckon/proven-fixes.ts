import type { Finding } from '../findings/finding';
import { areFixesTried, fixesFor } from '../findings/rules';
import type { Fix } from '../findings/fix';
import { applyCommands } from '../plan/apply-commands';
import { reckon } from './reckon';
import { budgetFixes } from './budget-fixes';
import { budgetOfFinding } from './spenders';
import { lanesOfStream, type Reckoning } from './reckoning';

/** A way out with what it costs the rest of the plan. */
export type ProvenFix = Fix & {
  /** By how many there would be more refused lanes than now; missing: by none. */
  readonly refuses?: number;
};

/**
 * The ways out of a finding that really take it away, judged by what they do to the whole plan: those that refuse more lanes than they mend come
 * last, the worst of them at the end. Costs a reckoning for each way out where there are several, or where they have to be tried.
 */
export function provenFixes(reckoning: Reckoning, finding: Finding): readonly ProvenFix[] {
  const { plan } = reckoning;
  const isBudget = budgetOfFinding(finding) !== null;
  const known = fixesFor(plan, finding, (streamId) => lanesOfStream(reckoning, streamId));
  const fixes = isBudget ? [...budgetFixes(reckoning, finding), ...known] : known;
  const areTried = isBudget || areFixesTried(finding);
  if (!areTried && fixes.length < 2) return fixes;
  const proven = fixes.flatMap((fix): ProvenFix[] => {
    const applied = applyCommands(plan, fix.commands);
    if (!applied.ok) return areTried ? [] : [fix];
    const after = reckon(applied.plan, reckoning);
    if (areTried && after.findings.some((f) => f.id === finding.id)) return [];
    const refuses = after.totals.refusedLanes - reckoning.totals.refusedLanes;
    return [refuses > 0 ? { ...fix, refuses } : fix];
  });
  return proven.sort((a, b) => (a.refuses ?? 0) - (b.refuses ?? 0));
}
