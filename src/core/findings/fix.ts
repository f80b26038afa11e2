import type { Side } from '../plan/labels-table';
import type { ChannelRange, MapLimits } from '../models/models-table';
import type { Command } from '../plan/commands';
import type { ClockFix } from './clock-fix';
import type { NetworkFix } from './network-fix';
import type { RateFix } from './rate-fixes';
import type { SignalFix } from './signal-fix';
import type { SlotFix } from './slot-fix';

/** A way out of a finding: a command batch that can be previewed and applied. The interface words it. */
export type Fix = OwnFix | RateFix | NetworkFix | ClockFix | SignalFix | SlotFix;

export type OwnFix = { readonly commands: readonly Command[] } & (
  | { readonly does: 'give-address'; readonly deviceId: string; readonly interface: string; readonly address: string }
  | { readonly does: 'set-link-offset'; readonly deviceId: string; readonly offsetNs: number }
  | { readonly does: 'own-patch'; readonly deviceId: string }
  | { readonly does: 'repack'; readonly deviceId: string; readonly mayInterrupt: boolean }
  /** Other lanes, so that there is room for these. */
  | { readonly does: 'give-up'; readonly deviceId: string; readonly lanes: number }
  /** Blocks that a receiver can only be fed in as a whole, each in step from the sender. */
  | {
      readonly does: 'feed-blocks';
      readonly deviceId: string;
      readonly senderDeviceId: string;
      readonly blocks: number;
    }
  /** For all devices of the model. */
  | {
      readonly does: 'map-as-found';
      readonly deviceId: string;
      readonly side: Side;
      readonly modelName: string;
      readonly found: MapLimits | null;
    }
  /** Of the several devices of its node this one alone. */
  | { readonly does: 'be-device-of-node'; readonly deviceId: string; readonly label: string }
  /** For all devices of the model: streams carry and feed channels in their order. */
  | {
      readonly does: 'take-in-order';
      readonly deviceId: string;
      readonly modelName: string;
      readonly sendOrder: readonly ChannelRange[] | null;
      readonly receiveOrder: readonly ChannelRange[] | null;
    }
  | { readonly does: 'route-through'; readonly deviceId: string; readonly channels: readonly number[] }
  /** Those that went through this unit. */
  | { readonly does: 'hear-directly'; readonly deviceId: string }
  | { readonly does: 'shorten-labels'; readonly deviceId: string; readonly channels: readonly number[] }
  | { readonly does: 'name-as-found'; readonly deviceId: string; readonly name: string }
  | { readonly does: 'give-name'; readonly deviceId: string; readonly name: string }
  | { readonly does: 'clear-lanes'; readonly deviceId: string; readonly channels: readonly number[] }
);
