import type { Finding } from '@/core/findings/finding';

/** How many findings of each weight concern something. */
export interface Wrong {
  readonly refusals: number;
  readonly cautions: number;
}

export const NOTHING_WRONG: Wrong = { refusals: 0, cautions: 0 };

/** Counts findings by what they are about. */
export function wrongBy(
  findings: readonly Finding[],
  keysOf: (finding: Finding) => readonly string[],
): Map<string, Wrong> {
  const counts = new Map<string, { refusals: number; cautions: number }>();
  for (const finding of findings) {
    if (finding.severity === 'note') continue;
    for (const key of new Set(keysOf(finding))) {
      const own = counts.get(key) ?? { refusals: 0, cautions: 0 };
      own[finding.severity === 'refusal' ? 'refusals' : 'cautions'] += 1;
      counts.set(key, own);
    }
  }
  return counts;
}

/** Sorts what is most wrong to one end. */
export const wrongOrder = ({ refusals, cautions }: Wrong): number => refusals * 1000 + cautions;
