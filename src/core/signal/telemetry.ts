import { terminalsOf, type Insides } from './terminals';

/** A figure that a device reports of one of its channels: battery, radio level. */
export interface ChannelFigure {
  /** What it is of the channel, as the device calls it: `battery`. */
  readonly role: string;
  readonly value: number;
  /** Empty: it has none. */
  readonly unit: string;
  /** When it was read, in ms since 1970. */
  readonly readAt: number;
}

/** By `radio/3`. */
export type ChannelFigures = Readonly<Record<string, readonly ChannelFigure[]>>;

/** A battery with less is low. */
export const BATTERY_LOW_PERCENT = 20;

export const isBattery = ({ role, unit }: Pick<ChannelFigure, 'role' | 'unit'>): boolean =>
  /battery/i.test(role) && (unit === '%' || /^percent$/i.test(unit));

/**
 * The channel that a source of events tells of, by its label: IS-04 has no word for terminals, so it begins with the name and number of the
 * channel as printed on the case, and what follows is the role. Null: it is of the device as a whole.
 */
export function channelOfSource(
  model: Insides,
  label: string,
): { readonly terminalId: string; readonly channel: number; readonly role: string } | null {
  const spelt = label.trim().toLowerCase();
  for (const terminal of terminalsOf(model)) {
    const name = `${terminal.name.toLowerCase()} `;
    if (!spelt.startsWith(name)) continue;
    const [, digits, role = ''] = /^(\d+)\b[\s:,-]*(.*)$/.exec(spelt.slice(name.length)) ?? [];
    const channel = Number(digits) - terminal.countsFrom + 1;
    if (digits !== undefined && role !== '' && channel >= 1 && channel <= terminal.channels)
      return { terminalId: terminal.id, channel, role };
  }
  return null;
}
