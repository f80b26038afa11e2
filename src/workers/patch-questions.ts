import type { Direction } from '../core/signal/follow';
import type { SignalEnd } from '../core/signal/signal-end';
import type { Desk } from './desk';
import { coherenceView, followed, patchView, soundsOf } from './patch-view';

/** What the insides of devices ask. */
export const patchQuestions = ({ shown }: Desk) => ({
  /** Every channel of a device with what feeds it; null: it has none. */
  patch: (deviceId: string) => patchView(shown(), deviceId),
  /** How the outputs of each coherence group stand to one another. */
  coherence: () => coherenceView(shown()),
  /** The way of a sound from a channel on, or back. */
  follow: (start: SignalEnd, way: Direction) => followed(shown(), start, way),
  /** What the channels of every device are called inside it: strips, buses and sockets, by the sound that comes to them. */
  sounds: () => soundsOf(shown()),
});
