import { isRouted } from '@/core/network/interfaces-table';
import type { Fix } from '@/core/findings/fix';
import { isAboutClocks, isAboutSignal, isAboutSlots, type Finding } from '@/core/findings/finding';
import type { ChannelRange, MapLimits } from '@/core/models/models-table';
import type { Plan } from '@/core/plan/plan';
import { labelOf } from '@/core/plan/plan';
import { originOf } from '@/core/signal/through';
import type { SdpDifference } from '@/core/formats/sdp-differences';
import type { LaneCaution, LaneReason } from '@/core/reckon/lane';
import type { TermName } from '@/core/units/working';
import type { DeviceFailure } from '@/field/http-json';
import type { LaneCheck, LaneState } from '@/field/lane-state';
import type { SendStep } from '@/field/send-report';
import { clockFixWords, clockTitle } from './clock-words';
import { deviceName, networkFixWords, networkTitle } from './network-words';
import { unknownFigureWords } from './model-figures';
import { isSignalFix, signalFixWords, signalTitle } from './signal-words';
import { slotFixWords, slotTitle } from './slot-words';
import { channelRuns, count, kHz, rangeWords, time, timeOfDay } from './units';

/** The words for what the core returns as data. */

export { deviceName };

export function channelName(plan: Plan, deviceId: string, side: 'receive' | 'send', channel: number): string {
  const label = labelOf(plan, deviceId, side, channel);
  if (label !== null || side === 'receive') return label ?? `in ${channel}`;
  // What is only passed on goes by the name of what it is.
  const origin = originOf(plan, deviceId, channel);
  if (origin.deviceId === deviceId) return `out ${channel}`;
  const passed = labelOf(plan, origin.deviceId, 'send', origin.channel) ?? `out ${origin.channel}`;
  return `${passed}, from ${deviceName(plan, origin.deviceId)}`;
}

/** How channels are fed from streams. */
export function mapWords(limits: MapLimits | null): string {
  if (limits === null) return 'one by one';
  const blocks = limits.blockSize > 1 ? `in blocks of ${limits.blockSize}` : 'one by one';
  return limits.reordering ? blocks : `${blocks}, in the order of the stream`;
}

export function interfaceName(name: string): string {
  return isRouted({ name }) ? 'its routed port' : name === 'control' ? 'control' : `leg ${name}`;
}

/** A reason in a few words, for a row. */
export function shortReason(reason: LaneReason): string {
  switch (reason.code) {
    case 'rate-differs':
      return `${kHz(reason.senderRateHz)} into ${kHz(reason.receiverRateHz)} kHz`;
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
        'not-heard': `the sender’s stream of channels ${rangeWords(reason.range)} cannot be heard here`,
        'other-sender': `channels ${rangeWords(reason.range)} hear one stream, of another sender`,
        'other-place': 'no stream has it in this place',
      }[reason.because];
    case 'link-offset':
      return 'packets come later than the link offset';
    case 'ttl-too-short':
      return `the time to live ends after ${count(reason.ttl, 'hop')}`;
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
      return `${sender} runs at ${kHz(reason.senderRateHz)} kHz and ${receiver} at ${kHz(reason.receiverRateHz)} kHz, and no SRC is between them.`;
    case 'no-common-format': {
      const what = { rate: 'sample rate', encoding: 'encoding', 'packet-time': 'packet time' }[reason.missing];
      return `${sender} and ${receiver} share no ${what}.`;
    }
    case 'no-address':
      return `${end(reason.end)} has no address on a media network that the other can hear.`;
    case 'outside-subnet':
      return `The address of ${end(reason.end)} is not one of its subnet.`;
    case 'not-reachable':
      return reason.unicastOnly
        ? `${subnet(reason.senderSubnetId)} and ${subnet(reason.receiverSubnetId)} are routed, but no router passes multicast between them.`
        : `Nothing joins ${subnet(reason.senderSubnetId)} and ${subnet(reason.receiverSubnetId)}.`;
    case 'channel-missing':
      return `${end(reason.end)} has ${count(reason.count, 'channel')}; this lane wants number ${reason.channel}.`;
    case 'stream-budget':
      return `${end(reason.end)} can ${reason.end === 'sender' ? 'send' : 'hear'} ${count(reason.limit, 'stream')}; the plan wants ${reason.wanted}.`;
    case 'channel-pool':
      return `${end(reason.end)} has ${reason.limit} channels for both directions together; the plan wants ${reason.wanted}.`;
    case 'map-block':
      return `${receiver} is fed in blocks of ${reason.blockSize} channels, each from one block of one stream, in its order. A block that hears several senders, other channels in between, or only some of what stands there, cannot be.`;
    case 'send-block':
      return `${sender} puts its channels into streams in blocks of ${reason.blockSize} only, and a stream that ${receiver} can hear from it takes ${count(reason.limit, 'channel')}.`;
    case 'map-order':
      return `${receiver} keeps the order in which channels stand in a stream; this channel would hear one that comes before what the channels in front of it hear.`;
    case 'stream-order':
      return orderWords(plan, reason, senderId, receiverId);
    case 'ttl-too-short':
      return `${count(reason.routers, 'router')} ${reason.routers === 1 ? 'lies' : 'lie'} on the way, and each takes one from the time to live of ${reason.ttl}.`;
    case 'not-joined':
      return `${sender} and ${receiver} are both plugged in on leg ${reason.leg}, but no cables lead from one to the other, or the VLAN is not let through.`;
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
      return `${sender} has no channel map: this channel goes out in its stream of ${own} only, which ${receiver} cannot hear as it is: it is too wide, goes out in another format, or goes to another device.`;
    case 'other-sender':
      return `${receiver} has no channel map: its ${own} hear one stream, in its order, and that is one of ${deviceName(plan, otherSenderId ?? '')}, which the first of them wants.`;
    case 'other-place':
      return `${receiver} has no channel map: its ${own} hear one stream, in its order, and ${sender} sends none that has this channel in this place.`;
  }
}

export function cautionWords(plan: Plan, caution: LaneCaution, senderId: string, receiverId: string): string {
  switch (caution.code) {
    case 'one-leg':
      return `Leg ${caution.missing} does not meet, so the lane has no second way. ${longReason(plan, caution.because, senderId, receiverId)}`;
    case 'path-unknown':
      return 'The drawing has no cables between the two, so the transit time is not counted.';
    case 'heard-along': {
      const list = caution.heard.map(
        ({ channel, senderChannel }) => `${channel} hears ${channelName(plan, senderId, 'send', senderChannel)}`,
      );
      return `${deviceName(plan, receiverId)} has no channel map and takes the stream as it comes. What nobody wants there is heard along: channel ${list.join(', channel ')}.`;
    }
    case 'foreign-patch':
      return `The patch of ${deviceName(plan, caution.end === 'sender' ? senderId : receiverId)} is not ours: it is read and never written, so this lane has to be made there by those whose it is.`;
  }
}

export function findingTitle(plan: Plan, finding: Finding): string {
  if (isAboutClocks(finding)) return clockTitle(plan, finding);
  if (isAboutSlots(finding)) return slotTitle(plan, finding);
  if (isAboutSignal(finding)) return signalTitle(plan, finding);
  switch (finding.about) {
    case 'lanes-refused': {
      const { receiverDeviceId, senderDeviceId, channels, reason } = finding;
      return `${deviceName(plan, receiverDeviceId)} ${channelRuns(channels)} from ${deviceName(plan, senderDeviceId)}: ${shortReason(reason)}`;
    }
    case 'lanes-caution': {
      const { receiverDeviceId, senderDeviceId, channels, caution } = finding;
      const what =
        caution.code === 'one-leg'
          ? `only one leg, as on ${caution.missing} ${shortReason(caution.because)}`
          : caution.code === 'foreign-patch'
            ? `the patch of the ${caution.end} is not ours`
            : caution.code === 'heard-along'
              ? `in ${channelRuns(caution.heard.map((h) => h.channel))} hears along what nobody wants there`
              : 'no cables drawn between them';
      return `${deviceName(plan, receiverDeviceId)} ${channelRuns(channels)} from ${deviceName(plan, senderDeviceId)}: ${what}`;
    }
    case 'duplicate-address':
      return `${finding.address} is the address of ${finding.deviceIds.map((id) => deviceName(plan, id)).join(' and ')}`;
    case 'address-outside-subnet':
      return `${deviceName(plan, finding.deviceIds[0] ?? '')}, ${interfaceName(finding.interface)}: ${finding.address} is outside ${finding.cidr}`;
    case 'duplicate-name':
      return `${finding.deviceIds.length} devices are called ${finding.name}`;
    case 'figures-unknown': {
      const name = plan.models.get(finding.modelId)?.name ?? finding.modelId;
      const figures = finding.figures.map(unknownFigureWords).join(', ');
      return `${name}: ${finding.figures.length === 1 ? 'one figure is' : `${finding.figures.length} figures are`} not known (${figures})`;
    }
    case 'labels-too-long': {
      const { side, isShort, channels, limit } = finding;
      return `${deviceName(plan, finding.deviceIds[0] ?? '')} ${side === 'receive' ? 'in' : 'out'} ${channelRuns(channels)}: ${isShort ? 'short labels' : 'labels'} longer than the ${limit} characters that it holds`;
    }
    case 'heard-by-old-name':
      return `${finding.planned} calls itself ${finding.found}: ${count(finding.deviceIds.length - 1, 'device')} ${finding.deviceIds.length === 2 ? 'hears' : 'hear'} it by name`;
    case 'map-limits-differ':
      return `${deviceName(plan, finding.deviceIds[0] ?? '')} says that its channels are ${finding.side === 'send' ? 'sent' : 'fed'} ${mapWords(finding.found)}; its model says ${finding.planned === 'no-map' ? 'that it has no channel map' : mapWords(finding.planned)}`;
    case 'maps-apart':
      return `${deviceName(plan, finding.deviceIds[0] ?? '')} is planned as one, and its node has ${count(finding.parts.length, 'device')} with channel maps of their own: ${finding.parts.map((p) => p.label).join('; ')}. Only the channels of one of them are mapped`;
    case 'no-channel-map':
      return `${deviceName(plan, finding.deviceIds[0] ?? '')} offers no channel map (IS-08); its model says that channels are mapped freely to streams`;
    case 'past-the-unit': {
      const [receiver, sender] = finding.deviceIds.map((id) => deviceName(plan, id));
      return `${receiver} ${channelRuns(finding.channels)} hears ${sender} past ${finding.unitIds.map((id) => deviceName(plan, id)).join(' and ')}`;
    }
    case 'unit-passes-nothing':
      return `${deviceName(plan, finding.deviceIds[0] ?? '')} passes nothing from in to out, and ${count(finding.deviceIds.length - 1, 'device')} ${finding.deviceIds.length === 2 ? 'goes' : 'go'} through it`;
    case 'idle-passes':
      return `${deviceName(plan, finding.deviceIds[0] ?? '')} takes in ${count(finding.channels.length, 'channel')} to pass on that nothing is subscribed to`;
    case 'no-group-left':
      return `No multicast group is left for ${count(finding.streamIds.length, 'stream')}`;
    default:
      return networkTitle(plan, finding);
  }
}

export function fixWords(plan: Plan, fix: Fix): string {
  if (isSignalFix(fix)) return signalFixWords(plan, fix);
  const name = 'deviceId' in fix ? deviceName(plan, fix.deviceId) : '';
  switch (fix.does) {
    case 'set-rate':
      return `Run ${name} at ${kHz(fix.rateHz)} kHz`;
    case 'give-address':
      return `Give ${name} the address ${fix.address} on ${interfaceName(fix.interface)}`;
    case 'set-link-offset':
      return `Set the link offset of ${name} to ${time(fix.offsetNs)}`;
    case 'repack':
      return `Repack the streams at ${name}${fix.mayInterrupt ? ', interrupting some that carry' : ''}`;
    case 'give-up':
      return `Give up ${count(fix.lanes, 'other lane')} at ${name} to make room`;
    case 'own-patch':
      return `Take over the patch of ${name}`;
    case 'map-as-found':
      return `Let all of the model ${fix.modelName} be ${fix.side === 'send' ? 'sent' : 'fed'} ${mapWords(fix.found)}`;
    case 'be-device-of-node':
      return `Let ${name} be ${fix.label} alone; the others can be added as found`;
    case 'take-in-order': {
      const out = fix.sendOrder === null ? [] : [`out ${ordersWords(fix.sendOrder)}`];
      const into = fix.receiveOrder === null ? [] : [`in ${ordersWords(fix.receiveOrder)}`];
      return `Take the channels of all of the model ${fix.modelName} in the order of their streams: ${[...out, ...into].join('; ')}`;
    }
    case 'feed-blocks':
      return `Feed ${fix.blocks === 1 ? 'the whole block' : `${fix.blocks} whole blocks`} of ${name} in step from ${deviceName(plan, fix.senderDeviceId)}`;
    case 'route-through':
      return `Lead ${fix.channels.length === 1 ? 'this lane' : `these ${fix.channels.length} lanes`} of ${name} through it`;
    case 'hear-directly':
      return `Let nothing go through ${name} any more`;
    case 'shorten-labels':
      return `Shorten ${count(fix.channels.length, 'label')} of ${name}`;
    case 'name-as-found':
      return `Call it ${fix.name} in the plan too`;
    case 'give-name':
      return `Rename the second to ${fix.name}`;
    case 'clear-lanes':
      return `Clear ${fix.channels.length === 1 ? 'this lane' : `these ${fix.channels.length} lanes`} of ${name}`;
    case 'clock-plan':
    case 'relay':
    case 'ask-only-reachable':
    case 'set-priority2':
    case 'next-in-line':
    case 'only-follow':
    case 'may-lead':
    case 'use-intervals':
    case 'set-domain':
    case 'feed-reference':
    case 'follow':
    case 'join-group':
    case 'set-rates':
    case 'own-group':
    case 'set-authority':
    case 'leave-side':
    case 'stop-ptp':
    case 'lead-as-found':
    case 'clear-between':
      return clockFixWords(plan, fix);
    case 'talk-on-block':
    case 'stop-talking':
    case 'stop-hearing':
    case 'move-along':
    case 'set-slot-rate':
      return slotFixWords(plan, fix);
    default:
      return networkFixWords(plan, fix);
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
  'sender-order': 'By its model the sender’s channels stand in the order of the stream; it has no channel map to read',
  'receiver-order': 'By its model the stream feeds its channels in their order; it has no channel map to read',
  'both-legs': 'Both legs are up',
  'receiver-answers': 'The receiver answers',
  'sender-answers': 'The sender answers',
};

export const STEP_WORDS: Readonly<Record<SendStep, string>> = {
  'sender-read': 'stream read as it is',
  'sender-map': 'channels put into the stream',
  sender: 'stream set up',
  'sender-stop': 'stream stopped',
  receiver: 'stream joined',
  'receiver-map': 'channels fed',
  'receiver-mute': 'taken off while its stream changes',
  'receiver-moment': 'told of the moment',
  'receiver-leave': 'stream left',
  'sender-restore': 'sender as before',
  'receiver-restore': 'channels as before',
  'patch-read': 'patch read',
  'patch-off': 'channels off while other devices change',
  patch: 'patched',
  'patch-restore': 'patch as before',
};

export function failureWords(failure: DeviceFailure): string {
  switch (failure.kind) {
    case 'timeout':
      return `no answer within ${failure.afterMs / 1000} s`;
    case 'unreachable':
      return `cannot be reached (${failure.detail})`;
    case 'refused':
      return failure.detail === '' ? `refused (${failure.status})` : `refused (${failure.status}): ${failure.detail}`;
    case 'wrong-answer':
      return failure.detail;
    case 'not-allowed':
      return `not asked: ${failure.host} is on none of the networks that are talked to`;
    case 'resting':
      return `not asked: it did not answer, and is left in peace until ${timeOfDay(failure.untilMs)}`;
  }
}

export const TERM_WORDS: Readonly<Record<TermName, string>> = {
  channels: 'channels',
  samplesPerPacket: 'samples per packet',
  bytesPerSample: 'bytes per sample',
  payload: 'Payload',
  rtpHeader: 'RTP header',
  udpHeader: 'UDP header',
  ipv4Header: 'IPv4 header',
  ethernetHeaderAndCheck: 'Ethernet header and check',
  vlanTag: 'VLAN tag',
  padding: 'padding to 64 B',
  preambleAndGap: 'preamble and gap',
  onTheWire: 'On the wire',
  packetsPerSecond: 'packets per second',
  load: 'Load per leg',
  packetTime: 'packet time',
  transit: 'transit, worst case',
  senderJitter: 'sender jitter, one packet',
  needed: 'Needed',
  linkOffset: 'Link offset',
  margin: 'Margin',
  syncAndFollowUp: 'sync and follow-up',
  announce: 'announces',
  delayRequests: 'delay requests and answers',
  ptp: 'Clock messages',
  mediaLoad: 'media towards receivers',
  querierLoad: 'media towards the querier',
  floodedLoad: 'media that a switch floods',
  clockMessages: 'clock messages (PTP)',
  sap: 'session announcements (SAP)',
  control: 'control allowance',
  linkLoad: 'On the link',
  linkSpeed: 'link speed',
  usable: 'Not reserved',
};

const SDP_WORDS: Readonly<Record<SdpDifference['what'], string>> = {
  encoding: 'encoding',
  rate: 'sample rate',
  'packet-time': 'packet time',
  channels: 'channels',
  leg: 'group',
  port: 'port',
  source: 'source address',
  ttl: 'time to live',
  'clock-domain': 'clock domain',
  grandmaster: 'grandmaster',
  'clock-kind': 'reference clock',
};

/** `time to live 16, where the plan has 32`. */
export const sdpDifferenceWords = ({ what, planned, found }: SdpDifference): string =>
  `${SDP_WORDS[what]} ${found}, where the plan has ${planned}`;
