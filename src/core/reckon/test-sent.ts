import { formatAddress } from '../network/address';
import type { Plan } from '../plan/plan';
import { apply } from '../plan/test-plan';
import type { SentStream } from '../streams/sent-streams-table';
import { reckon } from './reckon';

/** For tests: a plan of which every stream was sent, and every receiver receives it. */
export function sentWhole(plan: Plan): Plan {
  const { streamsBySender, groupsByStream, lanesByReceiver } = reckon(plan);
  const put = [...streamsBySender.values()].flat().map((stream): SentStream => {
    const numbers = new Map<string, number>();
    for (const deviceId of stream.receiverDeviceIds) {
      for (const lane of lanesByReceiver.get(deviceId)?.values() ?? []) {
        if (lane.verdict !== 'refused' && lane.reception.stream === stream)
          numbers.set(deviceId, lane.reception.receiverStreamNumber);
      }
    }
    const groups = groupsByStream.get(stream.id);
    const text = (group: number | null | undefined) => (group == null ? null : formatAddress(group));
    return {
      ...{ senderDeviceId: stream.senderDeviceId, streamNumber: stream.streamNumber, channels: stream.channels },
      ...{ format: stream.format, groupA: text(groups?.A), groupB: text(groups?.B) },
      receivers: [...numbers].map(([deviceId, streamNumber]) => ({ deviceId, streamNumber })),
    };
  });
  return apply(plan, { kind: 'keep-sent-streams', put: put.filter((s) => s.receivers.length > 0), drop: [] });
}
