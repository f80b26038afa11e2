import type { SdpDifference } from '@/core/formats/sdp-differences';

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
