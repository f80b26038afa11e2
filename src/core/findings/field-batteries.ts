import { BATTERY_LOW_PERCENT, isBattery, type ChannelFigures } from '../signal/telemetry';
import type { PlanOf } from '../plan/plan';
import type { FindingAbout } from './finding';

type Found = FindingAbout<'battery-low'>;

/** Channels whose battery is low. `byDevice` is what devices report of their channels, by plan device. */
export function batteryFindings(
  { devices }: PlanOf<'devices'>,
  byDevice: ReadonlyMap<string, ChannelFigures>,
): Found[] {
  return [...byDevice]
    .flatMap(([deviceId, figures]): Found[] =>
      !devices.has(deviceId)
        ? []
        : Object.entries(figures).flatMap(([key, own]): Found[] => {
            const percent = own.find((f) => isBattery(f))?.value;
            if (percent === undefined || percent >= BATTERY_LOW_PERCENT) return [];
            const [terminalId = '', channel = '1'] = key.split('/');
            return [
              {
                id: `battery|${deviceId}|${key}`,
                severity: 'caution',
                deviceIds: [deviceId],
                about: 'battery-low',
                terminalId,
                channel: Number(channel),
                percent,
              },
            ];
          }),
    )
    .sort((a, b) => (a.id < b.id ? -1 : 1));
}
