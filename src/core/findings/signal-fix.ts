import type { Command } from '../plan/commands';
import type { SignalEnd } from '../signal/signal-end';
import type { Tap } from '../signal/terminal-shape';

/** A way out of a finding about the way of a sound. */
export type SignalFix = { readonly commands: readonly Command[] } & (
  | { readonly does: 'send-off'; readonly from: SignalEnd; readonly bus: SignalEnd }
  | { readonly does: 'set-send'; readonly from: SignalEnd; readonly bus: SignalEnd; readonly levelDb: number }
  | { readonly does: 'share-offset'; readonly groupName: string; readonly offsetNs: number; readonly devices: number }
  | { readonly does: 'end-substitution'; readonly name: string }
  /** As the device is patched; so many channels are fed from what its model does not have, and stay as planned. */
  | { readonly does: 'import-patch'; readonly deviceId: string; readonly channels: number; readonly left: number }
  /** The other channel of a pair too. */
  | { readonly does: 'feed-pair'; readonly deviceId: string; readonly channel: number }
  | { readonly does: 'unpatch'; readonly fed: SignalEnd }
  /** As the model feeds it when nothing is patched. */
  | {
      readonly does: 'patch-as-normalled';
      readonly deviceId: string;
      readonly terminalId: string;
      readonly channels: readonly number[];
    }
  | {
      readonly does: 'patch-whole-block';
      readonly deviceId: string;
      readonly terminalId: string;
      readonly channels: readonly number[];
    }
  | { readonly does: 'set-tap'; readonly fed: SignalEnd; readonly tap: Tap }
  | { readonly does: 'remove-audio-cable'; readonly name: string }
  | { readonly does: 'unplug'; readonly deviceId: string; readonly name: string }
  | { readonly does: 'set-phantom'; readonly end: SignalEnd; readonly isOn: boolean }
  | { readonly does: 'set-gain'; readonly end: SignalEnd; readonly gainDb: number }
  | { readonly does: 'attenuate'; readonly end: SignalEnd; readonly attenuationDb: number }
  | { readonly does: 'set-pad'; readonly end: SignalEnd; readonly padDb: number }
);
