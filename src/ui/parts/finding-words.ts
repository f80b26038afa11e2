import { isIn } from '@/core/findings/areas';
import type { Fix } from '@/core/findings/fix';
import type { Finding } from '@/core/findings/finding';
import type { Plan } from '@/core/plan/plan';
import { clockFixWords, clockTitle } from './clock-words';
import { deviceName, interfaceName } from './names';
import { networkFixWords, networkTitle } from './network-words';
import { unknownFigureWords } from './figure-words';
import { isSignalFix, signalFixWords, signalTitle } from './signal-words';
import { slotFixWords, slotTitle } from './slot-words';
import { channelRuns, count, kHz, time } from './units';
import { shortReason, mapWords, ordersWords } from './lane-words';

/** The words for what was found, and for what would mend it. */

export function findingTitle(plan: Plan, finding: Finding): string {
  if (isIn('clocks', finding)) return clockTitle(plan, finding);
  if (isIn('slots', finding)) return slotTitle(plan, finding);
  if (isIn('patch', finding)) return signalTitle(plan, finding);
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
            ? `the patch of the ${caution.end} is read-only`
            : caution.code === 'heard-along'
              ? `in ${channelRuns(caution.heard.map((h) => h.channel))} also receives channels that are not wanted there`
              : 'no cables planned between them';
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
      return `${finding.planned} calls itself ${finding.found}: ${count(finding.deviceIds.length - 1, 'device')} ${finding.deviceIds.length === 2 ? 'subscribes' : 'subscribe'} by that name`;
    case 'map-limits-differ':
      return `${deviceName(plan, finding.deviceIds[0] ?? '')} reports that its channels are ${finding.side === 'send' ? 'sent' : 'fed'} ${mapWords(finding.found)}; the model says ${finding.planned === 'no-map' ? 'that it has no channel map' : mapWords(finding.planned)}`;
    case 'maps-apart':
      return `${deviceName(plan, finding.deviceIds[0] ?? '')} is planned as one device, and its node has ${count(finding.parts.length, 'device')} with separate channel maps: ${finding.parts.map((p) => p.label).join('; ')}. Only one of them is mapped`;
    case 'no-channel-map':
      return `${deviceName(plan, finding.deviceIds[0] ?? '')} offers no channel map (IS-08); the model says that channels are mapped freely to streams`;
    case 'past-the-unit': {
      const [receiver, sender] = finding.deviceIds.map((id) => deviceName(plan, id));
      return `${receiver} ${channelRuns(finding.channels)} receives ${sender} past ${finding.unitIds.map((id) => deviceName(plan, id)).join(' and ')}`;
    }
    case 'unit-passes-nothing':
      return `${deviceName(plan, finding.deviceIds[0] ?? '')} passes no channel from input to output, and ${count(finding.deviceIds.length - 1, 'device')} ${finding.deviceIds.length === 2 ? 'is' : 'are'} routed through it`;
    case 'idle-passes':
      return `${deviceName(plan, finding.deviceIds[0] ?? '')} receives ${count(finding.channels.length, 'channel')} to pass on, with no subscriber`;
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
      return `Manage the patch of ${name} here`;
    case 'map-as-found':
      return `Set model ${fix.modelName}: ${fix.side === 'send' ? 'sent' : 'fed'} ${mapWords(fix.found)}`;
    case 'be-device-of-node':
      return `Bind ${name} to ${fix.label} only; the others can be added separately`;
    case 'take-in-order': {
      const out = fix.sendOrder === null ? [] : [`out ${ordersWords(fix.sendOrder)}`];
      const into = fix.receiveOrder === null ? [] : [`in ${ordersWords(fix.receiveOrder)}`];
      return `Set model ${fix.modelName} to the order of its streams: ${[...out, ...into].join('; ')}`;
    }
    case 'feed-blocks':
      return `Feed ${fix.blocks === 1 ? 'the whole block' : `${fix.blocks} whole blocks`} of ${name} in step from ${deviceName(plan, fix.senderDeviceId)}`;
    case 'route-through':
      return `Route ${fix.channels.length === 1 ? 'this lane' : `these ${fix.channels.length} lanes`} of ${name} through it`;
    case 'hear-directly':
      return `Route nothing through ${name}`;
    case 'shorten-labels':
      return `Shorten ${count(fix.channels.length, 'label')} of ${name}`;
    case 'name-as-found':
      return `Rename it to ${fix.name} in the plan`;
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
