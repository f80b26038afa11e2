import type { SdpAudio, SdpLeg } from './sdp';

/** One thing that a sender's description says otherwise than the plan, with both values. */
export interface SdpDifference {
  readonly what:
    | 'encoding'
    | 'rate'
    | 'packet-time'
    | 'channels'
    | 'leg'
    | 'port'
    | 'source'
    | 'ttl'
    | 'clock-domain'
    | 'grandmaster'
    | 'clock-kind';
  /** Refusal: receivers of the plan cannot hear it as planned. Caution: they may. */
  readonly severity: 'refusal' | 'caution';
  readonly planned: string;
  readonly found: string;
}

/** What matters of those who hear it. */
interface SdpReceivers {
  /** The most routers on the way to any of them: each takes one from the time to live. */
  readonly routers: number;
  /** Whether positions beyond the planned ones are another stream than is meant. */
  readonly isExactWidth: boolean;
}

/** Everything in which a stream as its sender describes it differs from the plan; what one of the two does not say is no difference. */
export function sdpDifferences(planned: SdpAudio, found: SdpAudio, receivers: SdpReceivers): SdpDifference[] {
  const differences: SdpDifference[] = [];
  const hold = (
    what: SdpDifference['what'],
    severity: SdpDifference['severity'],
    wanted: string | number | null,
    told: string | number | null,
  ) => {
    if (wanted !== null && told !== null && wanted !== told) {
      differences.push({ what, severity, planned: String(wanted), found: String(told) });
    }
  };
  hold('encoding', 'refusal', planned.format.encoding, found.format.encoding);
  hold('rate', 'refusal', planned.format.rateHz, found.format.rateHz);
  hold('packet-time', 'refusal', planned.format.packetTimeUs, found.format.packetTimeUs);
  const isOtherWidth = receivers.isExactWidth || found.channels < planned.channels;
  hold('channels', isOtherWidth ? 'refusal' : 'caution', planned.channels, found.channels);
  for (const leg of planned.legs) {
    const own = found.legs.find((l) => l.group === leg.group);
    if (own === undefined) hold('leg', 'refusal', leg.group, found.legs.map((l) => l.group).join(', '));
    else holdLeg(leg, own, receivers, hold);
  }
  const [wanted, told] = [clockOf(planned.referenceClock), clockOf(found.referenceClock)];
  if (wanted !== null && told !== null) {
    hold('clock-kind', 'caution', wanted.kind, told.kind);
    if (wanted.kind === told.kind) {
      hold('clock-domain', 'caution', wanted.domain, told.domain);
      hold('grandmaster', 'caution', wanted.grandmaster, told.grandmaster);
    }
  }
  return differences;
}

type Hold = (
  what: SdpDifference['what'],
  severity: SdpDifference['severity'],
  wanted: string | number | null,
  told: string | number | null,
) => void;

function holdLeg(planned: SdpLeg, found: SdpLeg, { routers }: SdpReceivers, hold: Hold): void {
  hold('port', 'refusal', planned.port, found.port);
  hold('source', 'caution', planned.sourceAddress, found.sourceAddress);
  // A packet with a time to live of n passes n - 1 routers.
  hold('ttl', found.ttl !== null && found.ttl <= routers ? 'refusal' : 'caution', planned.ttl, found.ttl);
}

interface ReferenceClock {
  readonly kind: 'ptp' | 'own clock' | 'other';
  readonly grandmaster: string | null;
  readonly domain: string | null;
}

/** RFC 7273 clause 4.8: `ptp=IEEE1588-2008:<identity>:<domain>`, `ptp=IEEE1588-2008:traceable`, `localmac=…`. */
function clockOf(text: string | null): ReferenceClock | null {
  if (text === null) return null;
  const ptp = /^ptp=[^:]+:([^:]+)(?::(?:domain-nmbr=)?(\d+))?$/i.exec(text.trim());
  if (ptp !== null) {
    const identity = ptp[1] as string;
    const grandmaster = /^traceable$/i.test(identity) ? null : identity.toUpperCase();
    return { kind: 'ptp', grandmaster, domain: ptp[2] ?? null };
  }
  return { kind: /^localmac=/i.test(text.trim()) ? 'own clock' : 'other', grandmaster: null, domain: null };
}
