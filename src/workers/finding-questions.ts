import type { Finding } from '../core/findings/finding';
import { provenFixes } from '../core/reckon/proven-fixes';
import { budgetOfFinding, spendersOf, type Spender } from '../core/reckon/spenders';
import type { Desk } from './desk';

/** What the list of findings asks. */
export const findingQuestions = ({ shown, current }: Desk) => ({
  /** For a finding of the reckoning, or for one that the field gave. */
  fixesFor: (finding: Finding) => provenFixes(current(), finding),
  /** What the budget that a finding is about is spent on; empty for any other finding. */
  spenders(finding: Finding): readonly Spender[] {
    const budget = budgetOfFinding(finding);
    return budget === null ? [] : spendersOf(shown(), budget.deviceId, budget.reason);
  },
});
