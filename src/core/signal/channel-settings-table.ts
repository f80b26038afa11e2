import { LABEL_MAX } from '../plan/labels-table';
import {
  channel,
  defaulted,
  flag,
  id,
  nullable,
  number,
  oneOf,
  record,
  text,
  whole,
  type Described,
} from '../plan/shape';
import { table, type FieldProblem } from '../plan/table';
import { endProblem, terminalAt, TERMINALS_OF, type Terminals } from './signal-end';
import { SIGNAL_FORMATS, TAPS } from './terminal-shape';

const shape = record({
  deviceId: id,
  terminalId: id,
  channel,
  /** Null: none of its own. Network channels have theirs among the labels. */
  label: defaulted(nullable(text(LABEL_MAX, 1)), null),
  /** What the socket is set to, where its terminal has a choice; null: the first. */
  format: defaulted(nullable(oneOf(SIGNAL_FORMATS)), null),
  gainDb: defaulted(nullable(number(-200)), null),
  hasPad: defaulted(flag, false),
  hasPhantom: defaulted(flag, false),
  /** Where what feeds it is to be taken: a tap after that is a finding. Null: anywhere. */
  asksTap: defaulted(nullable(oneOf(TAPS)), null),
  /** Delay set at an output on purpose, so that a loudspeaker far away sounds with the others. */
  outputDelayNs: defaulted(nullable(whole(0, 10_000_000_000)), null),
  /** How far it is to where it is listened to, when that was measured, and how warm the air is there. */
  distanceMetres: defaulted(nullable(number(0)), null),
  measuredOn: defaulted(nullable(text(20, 1)), null),
  airCelsius: defaulted(nullable(number(-60)), null),
});
/** How one channel of a terminal is set, as planned. */
export type ChannelSettings = Described<typeof shape>;

/** A channel of which nothing is set. */
export const PLAIN_CHANNEL = {
  label: null,
  format: null,
  gainDb: null,
  hasPad: false,
  hasPhantom: false,
  asksTap: null,
  outputDelayNs: null,
  distanceMetres: null,
  measuredOn: null,
  airCelsius: null,
} as const satisfies Partial<ChannelSettings>;

function settingsProblem(settings: ChannelSettings, tables: Terminals): FieldProblem | null {
  const problem = endProblem(tables, settings, ['in', 'out', 'inside']);
  if (problem !== null) return problem;
  const terminal = terminalAt(tables, settings);
  if (terminal === undefined) return null;
  const { format, gainDb, hasPad, hasPhantom, outputDelayNs } = settings;
  if (outputDelayNs !== null && terminal.direction !== 'out') {
    return { reason: 'out-of-range', path: 'outputDelayNs', value: String(outputDelayNs), limit: 'outputs' };
  }
  const { level, formats } = terminal;
  if (format !== null && !formats.includes(format)) {
    return { reason: 'out-of-range', path: 'format', value: format, limit: formats.join(', ') || 'no choice' };
  }
  if (gainDb !== null) {
    const { gainMinDb: least = null, gainMaxDb: most = null } = level ?? {};
    if (least === null || most === null || gainDb < least || gainDb > most) {
      const limit = least === null || most === null ? 'no gain' : `${least} to ${most} dB`;
      return { reason: 'out-of-range', path: 'gainDb', value: String(gainDb), limit };
    }
  }
  if (hasPad && (level?.padDb ?? null) === null) {
    return { reason: 'out-of-range', path: 'hasPad', value: 'true', limit: 'no pad' };
  }
  if (hasPhantom && level?.hasPhantom !== true) {
    return { reason: 'out-of-range', path: 'hasPhantom', value: 'true', limit: 'no phantom power' };
  }
  return null;
}

/** What is less is no step. */
const STEP_MIN_DB = 0.001;

/** A gain between the steps that the input has. Only what is newly put is looked at: a model may change. */
function stepProblem({ gainDb, ...end }: ChannelSettings, tables: Terminals): FieldProblem | null {
  const { gainMinDb = null, gainStepDb = null } = terminalAt(tables, end)?.level ?? {};
  if (gainDb === null || gainMinDb === null || gainStepDb === null || gainStepDb < STEP_MIN_DB) return null;
  const steps = (gainDb - gainMinDb) / gainStepDb;
  if (Math.abs(steps - Math.round(steps)) < 1e-6) return null;
  const limit = `steps of ${gainStepDb} dB from ${gainMinDb} dB`;
  return { reason: 'out-of-range', path: 'gainDb', value: String(gainDb), limit };
}

/** By device and `mic-in/3`. */
export const channelSettings = table(shape)({
  owner: 'deviceId',
  key: ['terminalId', 'channel'],
  since: 5,
  command: { noun: 'channel-settings', as: 'settings' },
  pointsTo: [{ path: 'deviceId', to: 'devices', whenGone: 'taken-along' }],
  merges: 'records',
  putProblem: stepProblem,
  fits: { reads: TERMINALS_OF, problem: settingsProblem, whenUnfit: 'taken-along' },
  nameOf: (r, deviceName) => `${deviceName(r.deviceId)}, ${r.terminalId} ${r.channel}`,
});
