import type { PlanOf } from '../plan/plan';
import type { AudioCable } from './audio-cables-table';
import type { SignalEnd } from './signal-end';
import { onceFor } from '../plan/once-for';

type Cables = PlanOf<'audioCables'>['audioCables'];

export const textOfEnd = ({ deviceId, terminalId, channel }: SignalEnd): string =>
  `${deviceId}|${terminalId}|${channel}`;

const NO_CABLES: readonly AudioCable[] = [];

/** The cables that end in a socket, by their ids: the first is the one that is received. */
export function cablesInto({ audioCables }: PlanOf<'audioCables'>, end: SignalEnd): readonly AudioCable[] {
  return audioCables.size === 0 ? NO_CABLES : (cablesBySocket(audioCables).get(textOfEnd(end)) ?? NO_CABLES);
}

/** By input socket, in the order of ids. */
export const cablesBySocket = onceFor((audioCables: Cables): ReadonlyMap<string, readonly AudioCable[]> => {
  const bySocket = new Map<string, AudioCable[]>();
  for (const cable of [...audioCables.values()].sort((a, b) => (a.id < b.id ? -1 : 1))) {
    for (let n = 0; n < cable.channels; n += 1) {
      const key = textOfEnd({ ...cable.to, channel: cable.to.channel + n });
      bySocket.set(key, [...(bySocket.get(key) ?? []), cable]);
    }
  }
  return bySocket;
});
