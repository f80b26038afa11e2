import type { LaneCaution, LaneReason } from '../reckon/reckoning';

export type Severity = 'refusal' | 'caution' | 'note';

/** The stage at which a finding is put right. */
export type Stage = 'gear' | 'lanes';

/** Something a check found: what, where, and the numbers that prove it. Fixes are worked out when asked for. */
export type Finding = FindingBase & FindingSubject;

interface FindingBase {
  /** Stable while the finding stands. */
  readonly id: string;
  readonly severity: Severity;
  readonly stage: Stage;
  /** The device to show first, then others concerned. */
  readonly deviceIds: readonly string[];
}

export type FindingSubject =
  | {
      readonly about: 'lanes-refused';
      readonly receiverDeviceId: string;
      readonly senderDeviceId: string;
      readonly channels: readonly number[];
      readonly reason: LaneReason;
    }
  | {
      readonly about: 'lanes-caution';
      readonly receiverDeviceId: string;
      readonly senderDeviceId: string;
      readonly channels: readonly number[];
      readonly caution: LaneCaution;
    }
  | { readonly about: 'duplicate-address'; readonly address: string; readonly interfaces: readonly string[] }
  | {
      readonly about: 'address-outside-subnet';
      readonly interface: string;
      readonly address: string;
      readonly cidr: string;
    }
  | { readonly about: 'duplicate-name'; readonly name: string }
  | { readonly about: 'no-group-left'; readonly streamIds: readonly string[] };
