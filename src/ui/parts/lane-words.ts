import type { ChannelRange, MapLimits } from '@/core/models/models-table';
import type { Plan } from '@/core/plan/plan';
import type { LaneCaution, LaneReason } from '@/core/reckon/lane';
import type { LaneCheck, LaneState } from '@/field/lane-state';
import { channelName, deviceName } from './names';
import { count, kHz, rangeWords, time } from './units';

/** The words for how a lane is and why; and for how channels go into streams and out of them. */

/** How channels are fed from streams. */
export function mapWords(limits: MapLimits | null): string {
  if (limits === null) return 'one by one';
  const blocks = limits.blockSize > 1 ? `in blocks of ${limits.blockSize}` : 'one by one';
  return limits.reordering ? blocks : `${blocks}, in the order of the stream`;
}

/** A reason in a few words, for a row. */
export function shortReason(reason: LaneReason): string {
  switch (reason.code) {
    case 'rate-differs':
      return `${kHz(reason.senderRateHz)} → ${kHz(reason.receiverRateHz)} kHz, no sample-rate converter`;
    case 'no-common-format':
      return { rate: 'no common rate', encoding: 'no common encoding', 'packet-time': 'no common packet time' }[
        reason.missing
      ];
    case 'no-address':
      return `the ${reason.end} has no address`;
    case 'outside-subnet':
      return `the ${reason.end}’s address is outside its subnet`;
    case 'not-reachable':
      return reason.unicastOnly ? 'no multicast routing between the subnets' : 'no route between the subnets';
    case 'channel-missing':
      return `the ${reason.end} has no channel ${reason.channel}`;
    case 'stream-budget':
      return `the ${reason.end} has no stream left`;
    case 'channel-pool':
      return 'the channel pool is used up';
    case 'map-block':
      return `fed in blocks of ${reason.blockSize} only`;
    case 'send-block':
      return `sent in blocks of ${reason.blockSize} only`;
    case 'map-order':
      return 'fed in the order of the stream only';
    case 'stream-order':
      return {
        'no-stream': reason.end === 'sender' ? 'no stream of the sender carries it' : 'no stream feeds this channel',
        'not-heard': `the sender’s stream of channels ${rangeWords(reason.range)} cannot be received here`,
        'other-sender': `channels ${rangeWords(reason.range)} receive one stream, of another sender`,
        'other-place': 'no stream has it in this place',
      }[reason.because];
    case 'link-offset':
      return 'packets come later than the link offset';
    case 'ttl-too-short':
      return `the TTL runs out after ${count(reason.ttl, 'hop')}`;
    case 'not-joined':
      return `no cables lead there on leg ${reason.leg}`;
  }
}

/** A reason with its numbers, as a sentence. */
export function longReason(plan: Plan, reason: LaneReason, senderId: string, receiverId: string): string {
  const sender = deviceName(plan, senderId);
  const receiver = deviceName(plan, receiverId);
  const end = (which: 'sender' | 'receiver') => (which === 'sender' ? sender : receiver);
  const subnet = (id: string) => plan.subnets.get(id)?.name ?? id;
  switch (reason.code) {
    case 'rate-differs':
      return `${sender} runs at ${kHz(reason.senderRateHz)} kHz and ${receiver} at ${kHz(reason.receiverRateHz)} kHz, and no sample-rate converter is between them.`;
    case 'no-common-format': {
      const what = { rate: 'sample rate', encoding: 'encoding', 'packet-time': 'packet time' }[reason.missing];
      return `${sender} and ${receiver} share no ${what}.`;
    }
    case 'no-address':
      return `${end(reason.end)} has no address on a media network that the other can reach.`;
    case 'outside-subnet':
      return `The address of ${end(reason.end)} is outside its subnet.`;
    case 'not-reachable':
      return reason.unicastOnly
        ? `${subnet(reason.senderSubnetId)} and ${subnet(reason.receiverSubnetId)} are routed, but no router passes multicast between them.`
        : `Nothing joins ${subnet(reason.senderSubnetId)} and ${subnet(reason.receiverSubnetId)}.`;
    case 'channel-missing':
      return `${end(reason.end)} has ${count(reason.count, 'channel')}; this lane needs number ${reason.channel}.`;
    case 'stream-budget':
      return `${end(reason.end)} can ${reason.end === 'sender' ? 'send' : 'receive'} ${count(reason.limit, 'stream')}; the plan wants ${reason.wanted}.`;
    case 'channel-pool':
      return `${end(reason.end)} has ${reason.limit} channels for both directions together; the plan wants ${reason.wanted}.`;
    case 'map-block':
      return `${receiver} is fed in blocks of ${reason.blockSize} channels, each from one block of one stream, in its order. A block cannot mix senders, skip channels or be fed in part.`;
    case 'send-block':
      return `${sender} puts its channels into streams in blocks of ${reason.blockSize} only, and a stream that ${receiver} can receive from it takes ${count(reason.limit, 'channel')}.`;
    case 'map-order':
      return `${receiver} keeps the order of the channels in a stream; this channel would receive one that comes before those of the channels above it.`;
    case 'stream-order':
      return orderWords(plan, reason, senderId, receiverId);
    case 'ttl-too-short':
      return `${count(reason.routers, 'router')} ${reason.routers === 1 ? 'is' : 'are'} on the path, and each takes one off the TTL of ${reason.ttl}.`;
    case 'not-joined':
      return `${sender} and ${receiver} are both plugged in on leg ${reason.leg}, but no cables lead from one to the other, or one of them does not carry the VLAN.`;
    case 'link-offset':
      return `Packets need ${time(reason.neededNs)} to be there; the link offset of ${receiver} is ${time(reason.offsetNs)}.`;
  }
}

/** Channels of one stream after the other; of many the first few. */
export function ordersWords(order: readonly ChannelRange[]): string {
  const shown = order.slice(0, 6).map(rangeWords).join(', ');
  return order.length > 6 ? `${shown} and ${order.length - 6} more` : shown;
}

function orderWords(
  plan: Plan,
  { end, because, range, otherSenderId }: Extract<LaneReason, { code: 'stream-order' }>,
  senderId: string,
  receiverId: string,
): string {
  const sender = deviceName(plan, senderId);
  const receiver = deviceName(plan, receiverId);
  const own = `channels ${rangeWords(range)}`;
  switch (because) {
    case 'no-stream':
      return end === 'sender'
        ? `${sender} has no channel map, and no stream of its model carries this channel.`
        : `${receiver} has no channel map, and no stream of its model feeds this channel.`;
    case 'not-heard':
      return `${sender} has no channel map: this channel goes out in its stream of ${own} only, which ${receiver} cannot receive as it is: it is too wide, goes out in another format, or goes to another device.`;
    case 'other-sender':
      return `${receiver} has no channel map: its ${own} receive one stream, in its order, and that is one of ${deviceName(plan, otherSenderId ?? '')}, which the first of them wants.`;
    case 'other-place':
      return `${receiver} has no channel map: its ${own} receive one stream, in its order, and ${sender} sends none that has this channel in this place.`;
  }
}

export function cautionWords(plan: Plan, caution: LaneCaution, senderId: string, receiverId: string): string {
  switch (caution.code) {
    case 'one-leg':
      return `Leg ${caution.missing} has no path, so the lane has no second one. ${longReason(plan, caution.because, senderId, receiverId)}`;
    case 'path-unknown':
      return 'The plan has no cables between the two, so the transit time is not counted.';
    case 'heard-along': {
      const list = caution.heard.map(
        ({ channel, senderChannel }) => `${channel} receives ${channelName(plan, senderId, 'send', senderChannel)}`,
      );
      return `${deviceName(plan, receiverId)} has no channel map and takes the stream as it comes. It also receives channels that are not wanted there: channel ${list.join(', channel ')}.`;
    }
    case 'foreign-patch':
      return `The patch of ${deviceName(plan, caution.end === 'sender' ? senderId : receiverId)} is read-only (managed elsewhere), so this lane has to be set there.`;
  }
}

export const STATE_WORDS: Readonly<Record<LaneState, string>> = {
  planned: 'planned',
  staged: 'staged',
  carrying: 'carrying',
  'one-legged': 'one leg',
  waiting: 'waiting',
  unknown: 'not known',
  refused: 'refused',
};

export const CHECK_WORDS: Readonly<Record<LaneCheck, string>> = {
  'receiver-there': 'The receiver is there',
  'sender-there': 'The sender is there',
  'sender-active': 'The sender sends this stream',
  'sender-map': 'This channel is in its position',
  'receiver-active': 'The receiver is set to this stream',
  'receiver-map': 'The position feeds this channel',
  'sender-order': 'The sender’s channels are in stream order (from its model; there is no channel map to read)',
  'receiver-order': 'The stream feeds the channels in order (from its model; there is no channel map to read)',
  'both-legs': 'Both legs are up',
  'receiver-answers': 'The receiver answers',
  'sender-answers': 'The sender answers',
};
