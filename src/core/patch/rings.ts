import type { Terminal } from '../signal/terminals';
import type { Patch } from './patches-table';

type Feed = Pick<Patch, 'terminalId' | 'channel' | 'from'>;

/**
 * Whether a channel would feed itself within its device by this patch, through other patches and what is normalled, with no bus between (a loop
 * through buses and other devices is a finding, as a fader may be in it).
 *
 * @param patchAt the patch of a channel of the same device, as it is beside this one
 */
export function feedsItself(
  terminals: readonly Terminal[],
  patchAt: (terminalId: string, channel: number) => Feed | undefined,
  patch: Feed,
): boolean {
  let at = patch.from;
  for (let hops = 0; at !== null && hops < HOPS_MAX; hops += 1) {
    const { terminalId, channel } = at;
    if (terminalId === patch.terminalId && channel === patch.channel) return true;
    const known = patchAt(terminalId, channel);
    const terminal = terminals.find((t) => t.id === terminalId);
    if (known !== undefined) at = known.from;
    else if (terminal?.normalledTo != null && channel <= terminal.normalledChannels) {
      at = { terminalId: terminal.normalledTo, channel };
    } else at = null;
  }
  return false;
}
/** No channel is led through more terminals within a device. */
const HOPS_MAX = 64;
