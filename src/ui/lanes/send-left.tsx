import type { Plan } from '@/core/plan/plan';
import { channelRuns } from '@/ui/parts/units';
import { deviceName } from '@/ui/parts/names';
import type { LanesReport } from '@/server/messages';

const LEFT_WORDS = {
  refused: 'refused by the plan',
  'device-missing': 'the receiver is not online',
  'sender-missing': 'the sender is not online',
  'always-fed': 'the device always feeds this channel: it cannot be cleared',
  'device-contested': 'several nodes claim to be the receiver: nothing is written to any of them',
  'sender-contested': 'several nodes claim to be the sender: nothing is written to any of them',
  'device-foreign': 'its patch is read-only (managed elsewhere)',
  'sender-untold': 'neither the registry nor an announcement lists this stream now',
  'in-a-block':
    'it is fed in one block with channels whose lanes are refused: feed the block whole, or clear all of it',
  'receiver-away': 'a device that would have to change at the same time is offline or read-only',
  'sender-foreign': 'the patch of the sender is read-only',
  'device-elsewhere': 'another plan runs the receiver: take it over first',
  'sender-elsewhere': 'another plan runs the sender: take it over first',
} as const;

/** Channels that are not sent, each with why. */
export function Left({ left, plan }: { left: LanesReport['left']; plan: Plan }) {
  if (left.length === 0) return null;
  const groups = new Map<string, { deviceId: string; why: keyof typeof LEFT_WORDS; channels: number[] }>();
  for (const { deviceId, channel, why } of left) {
    const group = groups.get(`${deviceId}|${why}`);
    if (group) group.channels.push(channel);
    else groups.set(`${deviceId}|${why}`, { deviceId, why, channels: [channel] });
  }
  return (
    <>
      <p className="mt-2.5 text-ochre">Not sent:</p>
      <ul>
        {[...groups.values()].map(({ deviceId, why, channels }) => (
          <li key={`${deviceId}|${why}`}>
            {deviceName(plan, deviceId)} {channelRuns(channels.sort((a, b) => a - b))}: {LEFT_WORDS[why]}
          </li>
        ))}
      </ul>
    </>
  );
}
