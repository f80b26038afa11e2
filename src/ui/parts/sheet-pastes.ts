import { plannedClock } from '@/core/clocks/clock-settings';
import { labelLimits } from '@/core/edits/short-labels';
import { textColumn, wholeColumn, type PastedColumn } from '@/core/formats/pasted-block';
import type { Command } from '@/core/plan/commands';
import { LABEL_MAX, type Side } from '@/core/plan/labels-table';
import type { Plan } from '@/core/plan/plan';
import { labelSide } from '@/core/signal/channel-names';
import { PLAIN_CHANNEL } from '@/core/signal/channel-settings-table';
import { settingsAt } from '@/core/signal/levels';
import { commitWithUndo, previewBatch } from '@/ui/session/actions';
import { deviceName } from './names';
import { count } from './units';

/** What a sheet takes from a spreadsheet, and what it does with it. */
export interface SheetPaste<Key> {
  readonly columns: readonly PastedColumn[];
  readonly onPasted: (laid: readonly { readonly row: Key; readonly cells: readonly string[] }[]) => void;
}

const NAME_MAX = 200;

export const pasteDeviceNames = (): SheetPaste<string> => ({
  columns: [textColumn('name', NAME_MAX, true)],
  onPasted: (laid) =>
    void commitWithUndo(
      `paste names of ${count(laid.length, 'device')}`,
      laid.map(({ row, cells }): Command => ({
        kind: 'change-device',
        deviceId: row,
        change: { name: cells[0] as string },
      })),
    ),
});

export const pasteSubnetNames = (plan: Plan): SheetPaste<string> => ({
  columns: [textColumn('name', NAME_MAX, true)],
  onPasted: (laid) =>
    void commitWithUndo(
      `paste names of ${count(laid.length, 'subnet')}`,
      laid.flatMap(({ row, cells }): Command[] => {
        const subnet = plan.subnets.get(row);
        return subnet === undefined ? [] : [{ kind: 'put-subnet', subnet: { ...subnet, name: cells[0] as string } }];
      }),
    ),
});

/** Who leads follows from these: the consequences are seen before they are applied. */
export const pastePriorities = (plan: Plan): SheetPaste<string> => ({
  columns: [wholeColumn('priority 1', 0, 255), wholeColumn('priority 2', 0, 255)],
  onPasted: (laid) =>
    void previewBatch(
      `paste priorities of ${count(laid.length, 'clock')}`,
      laid.flatMap(({ row, cells: [first, second] }): Command[] => {
        const settings = plannedClock(plan, row)?.settings;
        if (settings === undefined) return [];
        const priority2 = second === undefined ? settings.priority2 : Number(second);
        return [{ kind: 'put-clock', settings: { ...settings, priority1: Number(first), priority2 } }];
      }),
    ),
});

/** Labels, and short labels beside them where the device has any. */
export function pasteLabels(plan: Plan, deviceId: string, side: Side): SheetPaste<number> {
  const { labelMax, shortMax } = labelLimits(plan, deviceId);
  return {
    columns: [textColumn('label', labelMax), ...(shortMax === null ? [] : [textColumn('short label', shortMax)])],
    onPasted: (laid) =>
      void commitWithUndo(`paste labels of ${count(laid.length, 'channel')} of ${deviceName(plan, deviceId)}`, [
        labelCommand(
          plan,
          deviceId,
          side,
          laid.map(({ row, cells }) => ({ channel: row, cells })),
        ),
      ]),
  };
}

/** One command for all: labels that no cell names stay. */
function labelCommand(
  plan: Plan,
  deviceId: string,
  side: Side,
  lines: readonly { readonly channel: number; readonly cells: readonly string[] }[],
): Command {
  const labels = lines.map(({ channel, cells: [label = '', short] }) => {
    const known = plan.labels.get(deviceId)?.get(`${side}/${channel}`);
    const ownShort = short === undefined ? (known?.short ?? null) : short === '' ? null : short;
    return { channel, label: label === '' ? null : label, short: label === '' ? null : ownShort };
  });
  return { kind: 'label-channels', deviceId, side, labels };
}

/** Labels of receiver channels, of whichever devices. */
export function pasteReceiverLabels(plan: Plan): SheetPaste<{ readonly deviceId: string; readonly channel: number }> {
  return {
    columns: [textColumn('label', LABEL_MAX)],
    onPasted: (laid) => {
      const byDevice = new Map<string, { channel: number; cells: readonly string[] }[]>();
      for (const { row, cells } of laid)
        byDevice.set(row.deviceId, [...(byDevice.get(row.deviceId) ?? []), { channel: row.channel, cells }]);
      void commitWithUndo(
        `paste labels of ${count(laid.length, 'receiver channel')}`,
        [...byDevice].map(([deviceId, lines]) => labelCommand(plan, deviceId, 'receive', lines)),
      );
    },
  };
}

interface Channel {
  readonly terminalId: string;
  readonly channel: number;
}

/** Labels of channels inside a device, whichever list each is in. */
export function pasteChannelNames(plan: Plan, deviceId: string): SheetPaste<Channel> {
  const { labelMax } = labelLimits(plan, deviceId);
  return {
    columns: [textColumn('label', Math.min(labelMax, LABEL_MAX))],
    onPasted: (laid) => {
      const bySide = new Map<Side, { channel: number; cells: readonly string[] }[]>();
      const commands: Command[] = [];
      for (const { row, cells } of laid) {
        const side = labelSide(row.terminalId);
        if (side !== null) {
          bySide.set(side, [...(bySide.get(side) ?? []), { channel: row.channel, cells }]);
          continue;
        }
        const end = { deviceId, ...row };
        const settings = settingsAt(plan, end) ?? { ...PLAIN_CHANNEL, ...end };
        commands.push({ kind: 'put-channel-settings', settings: { ...settings, label: cells[0] || null } });
      }
      for (const [side, lines] of bySide) commands.push(labelCommand(plan, deviceId, side, lines));
      void commitWithUndo(
        `paste labels of ${count(laid.length, 'channel')} of ${deviceName(plan, deviceId)}`,
        commands,
      );
    },
  };
}
