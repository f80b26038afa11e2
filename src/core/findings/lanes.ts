import type { LaneTable } from '../reckon/lane-table';
import { rule } from './rule';
import type { Lane, LaneCaution, LaneReason } from '../reckon/lane';
import type { FindingAbout } from './finding';
import { onceWith } from '../plan/once-for';

const FINDS = ['lanes-refused', 'lanes-caution'] as const;
type Found = FindingAbout<(typeof FINDS)[number]>;

/** Lanes of one receiver that fail for the same reason are one finding. Lanes come in any order. */
function laneFindings(receiverDeviceId: string, lanes: ReadonlyMap<number, Lane>): Found[] {
  const groups = new Map<string, { lane: Lane; senderDeviceId: string; channels: number[] }>();
  for (const lane of lanes.values()) {
    const why = lane.verdict === 'refused' ? lane.reason : lane.reception.caution;
    if (why === null) continue;
    const { senderDeviceId, receiverChannel } = lane.subscription;
    const detail = detailOf(why);
    const key = `${lane.verdict}|${senderDeviceId}|${detail}`;
    const group = groups.get(key);
    if (group === undefined) groups.set(key, { lane, senderDeviceId, channels: [receiverChannel] });
    else group.channels.push(receiverChannel);
  }
  return [...groups.entries()]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([key, { lane, senderDeviceId, channels }]) => {
      const deviceIds = [receiverDeviceId, senderDeviceId];
      const base = { id: `lanes|${receiverDeviceId}|${key}`, deviceIds } as const;
      const subject = { receiverDeviceId, senderDeviceId, channels: channels.sort((a, b) => a - b) };
      if (lane.verdict === 'refused') {
        return { ...base, severity: 'refusal', about: 'lanes-refused', ...subject, reason: lane.reason } as const;
      }
      const caution = lane.reception.caution as LaneCaution;
      const severity = lane.verdict === 'caution' ? 'caution' : 'note';
      return { ...base, severity, about: 'lanes-caution', ...subject, caution } as const;
    });
}

/** What tells reasons of one kind apart. */
function detailOf(why: LaneReason | LaneCaution): string {
  switch (why.code) {
    case 'channel-missing':
      return `${why.end}-${why.channel}`;
    case 'stream-order':
      return [why.code, why.end, why.because, why.range?.first ?? '', why.otherSenderId ?? ''].join('-');
    case 'heard-along':
      return `${why.code}-${why.heard[0]?.channel ?? ''}`;
    default:
      return why.code;
  }
}

/** By receiver: what was found of its lanes. Lanes that stayed the same keep it. */
const foundOf = onceWith((lanes: LaneTable, id: string) => laneFindings(id, lanes));

export const laneRule = rule({
  finds: FINDS,
  reads: ['deviceIds', 'lanesByReceiver'],
  find: ({ deviceIds, lanesByReceiver }) => {
    const findings: Found[] = [];
    for (const id of deviceIds) {
      const lanes = lanesByReceiver.get(id);
      if (lanes === undefined || !lanes.isAnyOdd) continue;
      findings.push(...foundOf(lanes, id));
    }
    return findings;
  },
});
