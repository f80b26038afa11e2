import type { Finding } from '../findings/finding';
import { areFixesTried, fixesFor } from '../findings/rules';
import type { Fix } from '../findings/fix';
import { applyCommands } from '../plan/apply-commands';
import { reckon } from './reckon';
import { budgetFixes } from './budget-fixes';
import { budgetOfFinding } from './spenders';
import { lanesOfStream, type Reckoning } from './reckoning';

/** The fixes of a finding that really take it away. Costs a reckoning for each fix of the few kinds that are tried. */
export function provenFixes(reckoning: Reckoning, finding: Finding): readonly Fix[] {
  const { plan } = reckoning;
  const isBudget = budgetOfFinding(finding) !== null;
  const known = fixesFor(plan, finding, (streamId) => lanesOfStream(reckoning, streamId));
  const fixes = isBudget ? [...budgetFixes(reckoning, finding), ...known] : known;
  if (!isBudget && !areFixesTried(finding)) return fixes;
  return fixes.filter(({ commands }) => {
    const applied = applyCommands(plan, commands);
    return applied.ok && !reckon(applied.plan, reckoning).findings.some((f) => f.id === finding.id);
  });
}
