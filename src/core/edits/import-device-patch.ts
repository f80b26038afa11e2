import type { Command } from '../plan/commands';
import type { PatchDifference } from '../patch/patch-in-field';
import { terminalAt } from '../signal/signal-end';
import { clearPatch, feedCommand, type PatchTables } from './fill-patch';

/** The patch of a device as it is there. Channels that are fed from what its model does not have stay as planned, and are counted. */
export function importDevicePatch(
  plan: PatchTables,
  deviceId: string,
  differences: readonly PatchDifference[],
): { readonly commands: readonly Command[]; readonly left: number } {
  let left = 0;
  const commands = differences.flatMap(({ terminalId, channel, found }): readonly Command[] => {
    const end = { deviceId, terminalId, channel };
    const terminal = terminalAt(plan, end);
    if (found === null) return clearPatch(plan, [end]);
    if (terminal !== undefined && 'terminalId' in found) return feedCommand(plan, terminal, end, found, null);
    left += 1;
    return [];
  });
  return { commands, left };
}
