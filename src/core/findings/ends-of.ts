import type { SignalEnd } from '../signal/signal-end';
import type { FindingIn } from './areas';

/**
 * The channels at which a finding about the device patch is seen, the one to show first first. None: it is about devices as a whole, and seen
 * with the device.
 */
export function endsOf(finding: FindingIn<'patch'>): readonly SignalEnd[] {
  const deviceId = finding.deviceIds[0] ?? '';
  switch (finding.about) {
    case 'feedback-loop':
      return [...finding.ring].sort((a, b) => Number(b.deviceId === deviceId) - Number(a.deviceId === deviceId));
    case 'same-sound-twice':
      return [finding.bus, finding.source];
    case 'payload-half':
    case 'payload-broken':
      return [finding.at, finding.source];
    case 'tap-too-late':
      return [finding.asking, finding.fed];
    case 'analogue-end':
    case 'bus-clips':
    case 'battery-low':
    case 'socket-used-twice':
      return [{ deviceId, terminalId: finding.terminalId, channel: finding.channel }];
    case 'fed-by-nothing':
    case 'heard-by-nobody':
    case 'patch-block':
      return finding.channels.map((channel) => ({ deviceId, terminalId: finding.terminalId, channel }));
    case 'side-traffic-ends':
      return finding.at === null ? [] : [finding.at];
    case 'patch-differs':
      return finding.differences.map(({ terminalId, channel }) => ({ deviceId, terminalId, channel }));
    case 'coherence-apart':
    case 'substitute-standing':
      return [];
  }
}
