import type { MediaClockSource } from '../clocks/clocks-table';
import type { Command } from '../plan/commands';

/** A way out of a finding about clocks. */
export type ClockFix = { readonly commands: readonly Command[] } & (
  | { readonly does: 'clock-plan' }
  | {
      readonly does: 'relay';
      readonly deviceId: string;
      readonly subnetId: string;
      readonly by: 'boundary' | 'unicast';
    }
  | { readonly does: 'ask-only-reachable'; readonly deviceId: string }
  | { readonly does: 'set-priority2'; readonly deviceId: string; readonly priority2: number }
  | { readonly does: 'next-in-line'; readonly deviceId: string }
  | { readonly does: 'only-follow'; readonly deviceId: string }
  | { readonly does: 'may-lead'; readonly deviceId: string }
  | { readonly does: 'use-intervals'; readonly deviceIds: readonly string[]; readonly leaderId: string }
  | { readonly does: 'set-domain'; readonly deviceIds: readonly string[]; readonly domainNumber: number }
  | { readonly does: 'feed-reference'; readonly referenceId: string }
  | { readonly does: 'follow'; readonly deviceIds: readonly string[]; readonly mediaClock: MediaClockSource }
  | { readonly does: 'set-rates'; readonly deviceIds: readonly string[]; readonly rateHz: number }
  | { readonly does: 'join-group'; readonly deviceIds: readonly string[]; readonly groupId: string }
  | { readonly does: 'own-group'; readonly deviceIds: readonly string[]; readonly rateHz: number }
  | { readonly does: 'set-authority'; readonly groupId: string; readonly deviceId: string }
  | { readonly does: 'leave-side'; readonly deviceId: string; readonly groupId: string }
  | { readonly does: 'clear-between'; readonly lanes: number; readonly pairs: number }
  | { readonly does: 'lead-as-found'; readonly deviceId: string }
  | { readonly does: 'stop-ptp'; readonly deviceIds: readonly string[] }
);
