import type { PatchDifference } from '../patch/patch-in-field';
import type { BitChange } from '../signal/hop';
import type { LevelMisfit } from '../signal/level-checks';
import type { SignalEnd } from '../signal/signal-end';
import type { SideKind, Tap } from '../signal/terminal-shape';

/** What is wrong with the way of a sound through devices. */
export type SignalSubject =
  /** Sound that comes back to where it was: the channels of the ring in the order in which it runs. */
  | {
      readonly about: 'feedback-loop';
      readonly ring: readonly SignalEnd[];
      /** Whether a fader or mute on its way can break it. */
      readonly hasFader: boolean;
    }
  /** A bus mixes one sound with itself, later by so much. */
  | {
      readonly about: 'same-sound-twice';
      readonly bus: SignalEnd;
      readonly source: SignalEnd;
      /** The two channels of the bus's device that bring it, the earlier first, and what each takes. */
      readonly feeders: readonly [SignalEnd, SignalEnd];
      readonly delaysNs: readonly [number, number];
    }
  /** Channels that are sent on or plugged in, and that nothing in the device feeds. */
  | { readonly about: 'fed-by-nothing'; readonly terminalId: string; readonly channels: readonly number[] }
  /** Sources that nobody receives. */
  | { readonly about: 'heard-by-nobody'; readonly terminalId: string; readonly channels: readonly number[] }
  /** Channels that are patched in blocks, and here are not. */
  | {
      readonly about: 'patch-block';
      readonly terminalId: string;
      /** Of the block. */
      readonly channels: readonly number[];
      readonly blockSize: number;
    }
  | {
      readonly about: 'tap-too-late';
      /** Where the earlier tap is asked for; what is fed late may be a direct out on the way there. */
      readonly asking: SignalEnd;
      readonly fed: SignalEnd;
      readonly from: SignalEnd;
      readonly asked: Tap;
      readonly taken: Tap;
    }
  /** Two things in one input socket. */
  | {
      readonly about: 'socket-used-twice';
      readonly terminalId: string;
      readonly channel: number;
      readonly cableIds: readonly string[];
      readonly plugged: string | null;
    }
  /** Outputs that must sound together and do not: the last comes so much later than the first. */
  | {
      readonly about: 'coherence-apart';
      readonly groupId: string;
      readonly spreadNs: number;
      /** Of their lanes, the smallest and the largest; null: none comes over the network. */
      readonly offsetsNs: readonly [number, number] | null;
      /** The smallest that fits all their paths. */
      readonly sharedNs: number | null;
    }
  /** Data-reduced sound on a way that changes its bits: noise comes out. */
  /** Coded sound of which one channel of two arrives. */
  | { readonly about: 'payload-half'; readonly source: SignalEnd; readonly at: SignalEnd }
  | {
      readonly about: 'payload-broken';
      readonly source: SignalEnd;
      readonly at: SignalEnd;
      readonly because: BitChange;
    }
  /** MIDI, serial data or timecode that does not get where it has to. */
  | {
      readonly about: 'side-traffic-ends';
      readonly trafficId: string;
      readonly kind: SideKind;
      /** Where it ends; null: no sound goes there with which it could travel. */
      readonly at: SignalEnd | null;
    }
  /** As the device reports it. */
  | {
      readonly about: 'battery-low';
      readonly terminalId: string;
      readonly channel: number;
      readonly percent: number;
    }
  /** A device that is not patched as planned. */
  | { readonly about: 'patch-differs'; readonly differences: readonly PatchDifference[] }
  /** Channels that are fed by a substitute for longer than a day. */
  | {
      readonly about: 'substitute-standing';
      readonly substitutionId: string;
      readonly channelCount: number;
      readonly by: string | null;
      readonly days: number;
    }
  | {
      readonly about: 'analogue-end';
      readonly terminalId: string;
      readonly channel: number;
      readonly misfit: LevelMisfit;
    }
  /** The bus. */
  | {
      readonly about: 'bus-clips';
      readonly terminalId: string;
      readonly channel: number;
      readonly misfit: Extract<LevelMisfit, { readonly code: 'bus-clips' }>;
    };
