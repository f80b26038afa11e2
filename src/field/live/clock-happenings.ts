import type { FoundClock } from '../../core/formats/is04';
import type { Happening } from './happenings';

/** What happened to the clocks of the field from one look at all of them to the next. */
export function clockHappenings(
  before: ReadonlyMap<string, FoundClock>,
  after: ReadonlyMap<string, FoundClock>,
): Happening[] {
  const found: Happening[] = [];
  for (const [id, clock] of after) {
    const was = before.get(id);
    if (was === undefined) continue;
    if (was.gmid !== clock.gmid) {
      found.push({ what: 'grandmaster-changed', from: was.gmid, to: clock.gmid, deviceIds: [id] });
    } else if (was.locked && !clock.locked) found.push({ what: 'lock-lost', deviceIds: [id] });
  }
  const masters = grandmasters(after);
  const had = grandmasters(before);
  if (masters.size > 1 && [...masters.keys()].some((gmid) => !had.has(gmid) || had.size === 1)) {
    const gmids = [...masters].sort((a, b) => b[1].length - a[1].length).map(([gmid]) => gmid);
    const deviceIds = gmids.slice(1).flatMap((gmid) => masters.get(gmid) ?? []);
    found.push({ what: 'second-grandmaster', gmids, deviceIds });
  } else if (masters.size === 1 && had.size > 1) {
    const [[gmid, deviceIds]] = [...masters] as [[string, string[]]];
    found.push({ what: 'one-grandmaster', gmid, deviceIds });
  }
  return found;
}

function grandmasters(found: ReadonlyMap<string, FoundClock>): Map<string, string[]> {
  const ids = new Map<string, string[]>();
  for (const [id, { gmid }] of found) if (gmid !== null) ids.set(gmid, [...(ids.get(gmid) ?? []), id]);
  return ids;
}
