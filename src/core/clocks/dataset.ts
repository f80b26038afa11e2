/** What a clock is, as far as the best-master comparison of IEEE 1588-2008 is concerned (clause 9.3.4). */
export interface ClockDataset {
  /** Eight octets as 16 hexadecimal digits in capitals: compared as text they are in the standard's order. */
  readonly clockIdentity: string;
  readonly priority1: number;
  readonly clockClass: number;
  readonly clockAccuracy: number;
  readonly offsetScaledLogVariance: number;
  readonly priority2: number;
}

/** What arrives at (or leaves) a port: a grandmaster's figures, and how far away it is by this way. */
export interface Announce {
  readonly grandmaster: ClockDataset;
  readonly stepsRemoved: number;
  readonly senderIdentity: string;
  readonly senderPort: number;
  readonly receiverIdentity: string;
  readonly receiverPort: number;
}

/** `better`: by quality; `by-topology`: the same grandmaster by a better way. */
export type Comparison = 'better' | 'by-topology' | 'same' | 'worse' | 'worse-by-topology';

/** The fields that decide, in the order in which they do: the lower value wins. */
export const COMPARED_FIELDS = [
  'priority1',
  'clockClass',
  'clockAccuracy',
  'offsetScaledLogVariance',
  'priority2',
  'clockIdentity',
] as const;
export type ComparedField = (typeof COMPARED_FIELDS)[number];

/** `00-1b-19-ff-fe-00-00-01` as 16 capital digits; null when it is not eight bytes in hexadecimal. */
export function parseClockIdentity(text: string): string | null {
  const digits = text.replace(/^0x/i, '').replace(/[-:.\s]/g, '');
  return /^[0-9a-f]{16}$/i.test(digits) ? digits.toUpperCase() : null;
}

/** `00-1B-19-FF-FE-00-00-01`, as SDP and IS-04 write it (there in small letters). */
export function clockIdentityText(identity: string): string {
  return (identity.match(/../g) ?? []).join('-');
}

/** Whether the first wins by the field in which the two differ first. Written out, as thousands of clocks ask it of each other. */
export function isBetter(a: ClockDataset, b: ClockDataset): boolean {
  if (a.priority1 !== b.priority1) return a.priority1 < b.priority1;
  if (a.clockClass !== b.clockClass) return a.clockClass < b.clockClass;
  if (a.clockAccuracy !== b.clockAccuracy) return a.clockAccuracy < b.clockAccuracy;
  if (a.offsetScaledLogVariance !== b.offsetScaledLogVariance)
    return a.offsetScaledLogVariance < b.offsetScaledLogVariance;
  if (a.priority2 !== b.priority2) return a.priority2 < b.priority2;
  return a.clockIdentity < b.clockIdentity;
}

/** Figures 27 and 28 of IEEE 1588-2008: how A stands to B. */
export function compareAnnounces(a: Announce, b: Announce): Comparison {
  if (a.grandmaster.clockIdentity !== b.grandmaster.clockIdentity) {
    return isBetter(a.grandmaster, b.grandmaster) ? 'better' : 'worse';
  }
  const difference = a.stepsRemoved - b.stepsRemoved;
  if (difference > 1) return 'worse';
  if (difference < -1) return 'better';
  if (difference === 1) return a.receiverIdentity < a.senderIdentity ? 'worse' : 'worse-by-topology';
  if (difference === -1) return b.receiverIdentity < b.senderIdentity ? 'better' : 'by-topology';
  if (a.senderIdentity !== b.senderIdentity) {
    return a.senderIdentity < b.senderIdentity ? 'by-topology' : 'worse-by-topology';
  }
  if (a.receiverPort !== b.receiverPort) return a.receiverPort < b.receiverPort ? 'by-topology' : 'worse-by-topology';
  if (a.senderPort !== b.senderPort) return a.senderPort < b.senderPort ? 'by-topology' : 'worse-by-topology';
  return 'same';
}

export function wins(comparison: Comparison): boolean {
  return comparison === 'better' || comparison === 'by-topology';
}
