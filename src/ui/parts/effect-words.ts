import type { Effects } from '@/ui/session/effects';
import { count } from './units';

/** What a change mends; null: nothing. */
export function mendWords({ mendedLanes, mendedFindings }: Effects): string | null {
  const parts = [
    ...(mendedLanes > 0 ? [count(mendedLanes, 'lane')] : []),
    ...(mendedFindings > 0 ? [count(mendedFindings, 'finding')] : []),
  ];
  return parts.length === 0 ? null : `Mends ${parts.join(' and ')}.`;
}

/** What a change breaks or takes away; null: nothing. What carries and is interrupted stands in a list of its own. */
export function breakWords({ refusedLanes, changedLanes, newRefusals, newCautions }: Effects): string | null {
  const findings = [
    ...(newRefusals > 0 ? [count(newRefusals, 'refusal')] : []),
    ...(newCautions > 0 ? [count(newCautions, 'caution')] : []),
  ];
  const parts = [
    ...(refusedLanes > 0 ? [`refuses ${count(refusedLanes, 'lane')}`] : []),
    ...(changedLanes > 0 ? [`ends ${count(changedLanes, 'lane')}`] : []),
    ...(findings.length > 0 ? [`adds ${findings.join(' and ')}`] : []),
  ];
  if (parts.length === 0) return null;
  const text = parts.join('; ');
  return `${text[0]?.toUpperCase() ?? ''}${text.slice(1)}.`;
}
