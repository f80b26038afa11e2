import { steadyNow } from '../field/steady-clock';
import { isFollowed, sentDevices } from '../core/plan/followed';
import { countWrong } from '../core/findings/finding';
import type { Reckoning } from '../core/reckon/reckoning';
import { openSession } from './edit';
import type { PlanOverview, PlanRibbon } from './messages';
import { openInParts } from './sessions';
import { serverState, type ServerState } from './state';

/** What the list of plans says of each: how large it is, what is wrong with it, who changed it, how it is in the field. */

interface Kept {
  readonly overview: PlanOverview;
  readonly at: number;
}
/** By plan. */
const kept = new WeakMap<ServerState, Map<string, Kept>>();
/** What the field has to do with it is counted again after so long. */
const KEPT_MS = 2_000;

/** The overview of a plan: as it was kept for this revision, or from the plan itself. */
export async function planOverview(planId: string): Promise<PlanOverview> {
  const server = serverState();
  let byPlan = kept.get(server);
  if (byPlan === undefined) kept.set(server, (byPlan = new Map()));
  const known = byPlan.get(planId);
  if (known !== undefined && known.overview.revision === server.store.revisionOf(planId)) {
    const isFieldless = server.follower === null && known.overview.field === null;
    if (isFieldless || steadyNow() - known.at < KEPT_MS) return known.overview;
  }
  await openInParts(planId);
  const overview = overviewNow(planId);
  byPlan.set(planId, { overview, at: steadyNow() });
  return overview;
}

/** As it is now, from the plan in memory. */
export function overviewNow(planId: string): PlanOverview {
  const session = openSession(planId);
  const { follower } = serverState();
  const plan = overviewOf(planId, session.revision, session.reckoning());
  const whole = { ...plan, ...countWrong(session.findings(Date.now())) };
  if (follower === null) return { ...whole, field: null };
  const bound = session.bindings(follower.snapshot()).nodeByDevice;
  let followed = 0;
  let offline = 0;
  for (const id of session.plan.devices.keys()) if (isFollowed(session.plan, id)) followed += 1;
  for (const id of sentDevices(session.plan)) if (!bound.has(id)) offline += 1;
  return { ...whole, field: { answering: bound.size, followed, offline } };
}

function overviewOf(
  planId: string,
  revision: number,
  reckoning: Reckoning,
): Omit<PlanOverview, 'field' | 'refusals' | 'cautions'> {
  const { plan } = reckoning;
  const latest = serverState().store.history(planId, { beforeId: Number.MAX_SAFE_INTEGER, limit: 1 })[0];
  let lanes = 0;
  for (const own of plan.subscriptions.values()) lanes += own.size;
  return {
    revision,
    places: plan.places.size,
    devices: plan.devices.size,
    lanes,
    changedBy: latest === undefined ? null : { name: latest.authorName, title: latest.title },
    ribbons: ribbonsOf(reckoning),
  };
}

const RIBBONS_MAX = 40;

/** The lanes between places, the widest first: what a small drawing of the plan shows. */
function ribbonsOf({ plan, lanesByReceiver }: Reckoning): PlanRibbon[] {
  const topPlace = (deviceId: string): string | null => {
    let top = plan.devices.get(deviceId)?.placeId ?? null;
    for (let at = top; at !== null; at = plan.places.get(at)?.parentId ?? null) top = at;
    return top;
  };
  const nameOf = (id: string | null) => (id === null ? 'Unassigned' : (plan.places.get(id)?.name ?? id));
  const ribbons = new Map<string, { from: string; to: string; channels: number; refused: number }>();
  for (const [receiverId, lanes] of lanesByReceiver) {
    const to = topPlace(receiverId);
    for (const [, lane] of lanes) {
      const from = topPlace(lane.subscription.senderDeviceId);
      const key = `${from ?? ''} ${to ?? ''}`;
      let ribbon = ribbons.get(key);
      if (ribbon === undefined) {
        ribbons.set(key, (ribbon = { from: nameOf(from), to: nameOf(to), channels: 0, refused: 0 }));
      }
      ribbon.channels += 1;
      if (lane.verdict === 'refused') ribbon.refused += 1;
    }
  }
  return [...ribbons.values()].sort((a, b) => b.channels - a.channels).slice(0, RIBBONS_MAX);
}
