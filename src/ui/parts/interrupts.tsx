import type { Interruption, InterruptWhy } from '@/core/reckon/interrupts';
import type { Plan } from '@/core/plan/plan';
import { shortReason } from './lane-words';
import { deviceName } from './names';
import { channelRuns, count } from './units';

/** What carries and is interrupted by a change: the same list in every preview and before everything that is sent. */

function whyWords(why: InterruptWhy): string {
  switch (why.code) {
    case 'removed':
      return 'the lane is removed';
    case 'fed-otherwise':
      return 'fed from another channel';
    case 'refused':
      return `refused: ${shortReason(why.reason)}`;
    case 'format':
      return 'its stream changes its format';
    case 'other-stream':
      return `moves from stream ${why.from} to stream ${why.to} of the sender`;
    case 'laid-out-again':
      return `stream ${why.streamNumber} gets other channels under its number`;
    case 'group':
      return `another multicast group on leg ${why.legs.join(' and ')}`;
    case 'legs':
      return 'its stream gains or loses a leg';
    case 'port':
      return 'another RTP port';
    case 'stopped':
      return `stream ${why.streamNumber} is stopped`;
    case 'other-receiver-stream':
      return `moves from stream ${why.from} to stream ${why.to} of the receiver`;
  }
}

function avoidWords(why: InterruptWhy): string {
  switch (why.code) {
    case 'removed':
    case 'fed-otherwise':
      return 'leave this lane out';
    case 'refused':
      return 'fix the reason first';
    case 'format':
      return 'keep rate, encoding and packet time';
    case 'other-stream':
    case 'laid-out-again':
      return 'lock the stream, or repack without interrupting';
    case 'group':
      return 'keep the group';
    case 'legs':
      return 'feed the new receiver from another stream';
    case 'port':
      return 'keep the port';
    case 'stopped':
      return 'keep a lane on it';
    case 'other-receiver-stream':
      return 'free a stream of the receiver first';
  }
}

const silentWords = (ms: number | null): string =>
  ms === null ? 'until fed again' : ms === 0 ? 'no gap: the new stream comes first' : `at most ${ms / 1000} s`;

export function InterruptsList({
  plan,
  interruptions,
}: {
  plan: Plan;
  /** `name`: of a device that is not in the plan. */
  interruptions: readonly (Interruption & { readonly name?: string | null })[];
}) {
  return (
    <div
      tabIndex={0}
      role="region"
      aria-label="Interrupts"
      className="max-h-[132px] overflow-y-auto focus-visible:outline-2 focus-visible:outline-jade"
    >
      <table className="w-full text-left">
        <thead className="text-[12px] text-faint">
          <tr>
            {['Receiver', 'Channels', 'Why', 'Silent for', 'To avoid it'].map((title) => (
              <th key={title} className="pr-4 font-normal">
                {title}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {interruptions.map((i) => (
            <tr key={`${i.deviceId} ${i.channels.join()}`} className="border-t border-line/60 align-top">
              <th scope="row" className="pr-4 font-medium">
                {i.name ?? deviceName(plan, i.deviceId)}
                {i.name == null ? '' : <span className="font-normal text-dim"> (not in this plan)</span>}
              </th>
              <td className="pr-4 font-mono text-[12px]" title={count(i.channels.length, 'lane')}>
                {channelRuns(i.channels)}
              </td>
              <td className="pr-4">{whyWords(i.why)}</td>
              <td className="pr-4 whitespace-nowrap">{silentWords(i.silentMsMax)}</td>
              <td className="text-dim">{avoidWords(i.why)}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </div>
  );
}
