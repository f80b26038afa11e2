import type { Effects } from '@/ui/session/effects';
import { count } from './units';

const lanes = (n: number, carrying: number): string =>
  `${count(n, 'lane')}${carrying === 0 ? '' : carrying === n ? ` that ${n === 1 ? 'carries' : 'carry'} now` : `, ${carrying} of which ${carrying === 1 ? 'carries' : 'carry'} now`}`;

/** What a change mends; null: nothing. */
export function mendWords({ mendedLanes, mendedFindings }: Effects): string | null {
  const parts = [
    ...(mendedLanes > 0 ? [count(mendedLanes, 'lane')] : []),
    ...(mendedFindings > 0 ? [count(mendedFindings, 'finding')] : []),
  ];
  return parts.length === 0 ? null : `Mends ${parts.join(' and ')}.`;
}

/** What a change breaks or takes away; null: nothing. */
export function breakWords(effects: Effects, disturbedStreams: number, disturbedLanes: number): string | null {
  const { refusedLanes, refusedCarrying, changedLanes, changedCarrying, newRefusals, newCautions } = effects;
  const findings = [
    ...(newRefusals > 0 ? [count(newRefusals, 'refusal')] : []),
    ...(newCautions > 0 ? [count(newCautions, 'caution')] : []),
  ];
  const parts = [
    ...(refusedLanes > 0 ? [`refuses ${lanes(refusedLanes, refusedCarrying)}`] : []),
    ...(changedLanes > 0 ? [`ends ${lanes(changedLanes, changedCarrying)}`] : []),
    ...(disturbedStreams > 0
      ? [`interrupts ${count(disturbedStreams, 'carrying stream')} with ${count(disturbedLanes, 'lane')}`]
      : []),
    ...(findings.length > 0 ? [`adds ${findings.join(' and ')}`] : []),
  ];
  if (parts.length === 0) return null;
  const text = parts.join('; ');
  return `${text[0]?.toUpperCase() ?? ''}${text.slice(1)}.`;
}
