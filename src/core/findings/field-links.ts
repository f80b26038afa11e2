import { type FoundLink } from './field-facts';
import type { PlanOf } from '../plan/plan';
import type { FindingAbout } from './finding';

type Found = FindingAbout<'link-slower' | 'link-half-duplex-found'>;

/** Cables that came up slower than planned, or in half duplex. A cable that is down is not slow: its devices are missed. */
export function fieldLinkFindings(plan: PlanOf<'links'>, found: ReadonlyMap<string, FoundLink>): Found[] {
  const findings: Found[] = [];
  for (const [linkId, state] of found) {
    const link = plan.links.get(linkId);
    if (link === undefined || !state.isUp) continue;
    const base = {
      severity: 'caution',
      deviceIds: [link.from.deviceId, link.to.deviceId],
      linkId,
    } as const;
    if (state.bitsPerSecond !== null && state.bitsPerSecond < link.bitsPerSecond) {
      findings.push({
        id: `slower|${linkId}`,
        ...base,
        about: 'link-slower',
        plannedBitsPerSecond: link.bitsPerSecond,
        foundBitsPerSecond: state.bitsPerSecond,
      });
    }
    if (state.duplex === 'half' && link.duplex === 'full') {
      findings.push({ id: `half|${linkId}`, ...base, about: 'link-half-duplex-found' });
    }
  }
  return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
}
