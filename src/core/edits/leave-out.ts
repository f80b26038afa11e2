import { recordKey } from '../plan/changes';
import type { Command } from '../plan/commands';

/**
 * The commands without what they do to some records (`subscriptions:dome-amp-5/3`), so that what others did to these stays. Only
 * subscriptions can be left out one by one; null where any other record would have to be, or where nothing would be left.
 */
export function leaveOut(commands: readonly Command[], records: ReadonlySet<string>): Command[] | null {
  const isKept = (receiverDeviceId: string, receiverChannel: number) =>
    !records.has(`subscriptions:${recordKey('subscriptions', { receiverDeviceId, receiverChannel })}`);
  if ([...records].some((r) => !r.startsWith('subscriptions:'))) return null;
  const rest = commands.flatMap((command): Command[] => {
    if (command.kind === 'subscribe') {
      const subscriptions = command.subscriptions.filter((s) => isKept(s.receiverDeviceId, s.receiverChannel));
      return subscriptions.length === 0 ? [] : [{ ...command, subscriptions }];
    }
    if (command.kind === 'unsubscribe') {
      const channels = command.channels.filter((c) => isKept(c.deviceId, c.channel));
      return channels.length === 0 ? [] : [{ ...command, channels }];
    }
    return [command];
  });
  return rest.length === 0 ? null : rest;
}
