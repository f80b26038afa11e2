import type { Command } from '../plan/commands';

/** A way out of a finding about a slot bus. */
export type SlotFix = { readonly commands: readonly Command[] } & (
  | { readonly does: 'talk-on-block'; readonly deviceId: string; readonly block: number; readonly followers: number }
  | { readonly does: 'stop-talking'; readonly deviceId: string }
  | { readonly does: 'stop-hearing'; readonly deviceId: string }
  | { readonly does: 'move-along'; readonly deviceId: string; readonly behindId: string }
  | { readonly does: 'set-slot-rate'; readonly busId: string; readonly rateHz: number }
);
