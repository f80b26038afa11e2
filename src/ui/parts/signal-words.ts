import type { SignalFix } from '@/core/findings/signal-fix';
import type { SignalSubject } from '@/core/findings/signal-subject';
import type { Plan } from '@/core/plan/plan';
import { ownName } from '@/core/signal/channel-names';
import type { AudioCableKind } from '@/core/signal/audio-cables-table';
import type { BitChange } from '@/core/signal/hop';
import { sameValue } from '@/core/plan/same-value';
import type { LevelMisfit } from '@/core/signal/level-checks';
import type { PluggedKind } from '@/core/signal/plugged-in-table';
import { terminalAt, type SignalEnd } from '@/core/signal/signal-end';
import type { Direction, Tap, TerminalKind } from '@/core/signal/terminal-shape';
import type { Terminal } from '@/core/signal/terminals';
import { deviceName } from './names';
import { channelRuns, count, time } from './units';

/** Terminals, what is plugged into them and the way of a sound in words. */

export const TAP_WORDS: Readonly<Record<Tap, string>> = {
  'before-equaliser': 'pre equaliser',
  'before-fader': 'pre fader',
  'after-fader': 'post fader',
  'after-mute': 'post mute',
};

export const TERMINAL_KIND_WORDS: Readonly<Record<TerminalKind, string>> = {
  connector: 'connectors',
  link: 'multi-channel link',
  network: 'network channels',
  slots: 'slot bus',
  computer: 'channels of programs',
  radio: 'radio channels',
  strip: 'strips',
  bus: 'buses',
  direct: 'direct outs',
  monitor: 'monitor feeds',
};

export const DIRECTION_WORDS: Readonly<Record<Direction, string>> = {
  in: 'into the device',
  out: 'out of the device',
  inside: 'inside the device',
};

export const AUDIO_CABLE_WORDS: Readonly<Record<AudioCableKind, string>> = {
  balanced: 'balanced',
  unbalanced: 'unbalanced',
  multicore: 'multicore',
  coax: 'coaxial',
  'twisted-pair': 'twisted pair',
  optical: 'optical',
  fibre: 'fibre',
};

const BIT_WORDS: Readonly<Record<BitChange, string>> = {
  processing: 'processing',
  effect: 'an effect',
  L16: '16-bit samples',
  'sample-rate-converter': 'a sample-rate converter',
  analogue: 'an analogue output',
};

export const PLUGGED_WORDS: Readonly<Record<PluggedKind, string>> = {
  microphone: 'microphone',
  instrument: 'instrument',
  'line-source': 'line source',
  player: 'player',
  'radio-pack': 'radio pack',
  loudspeaker: 'loudspeaker',
  headphones: 'headphones',
  'recorder-input': 'recorder input',
  'hearing-loop': 'hearing loop',
  'line-input': 'line input',
};

/** The number of a channel as it is printed on the case. */
export const printedNumber = (terminal: Pick<Terminal, 'countsFrom'> | undefined, channel: number): number =>
  channel + (terminal?.countsFrom ?? 1) - 1;

/** `Mic in 3`. */
export function terminalChannel(plan: Plan, end: SignalEnd): string {
  const terminal = terminalAt(plan, end);
  return `${terminal?.name ?? end.terminalId} ${printedNumber(terminal, end.channel)}`;
}

/** `Wave stage box, Mic in 3 (Tide bell)`. */
export function endWords(plan: Plan, end: SignalEnd): string {
  const name = ownName(plan, end);
  return `${deviceName(plan, end.deviceId)}, ${terminalChannel(plan, end)}${name === null ? '' : ` (${name})`}`;
}

/** Channels of a terminal by their printed numbers. */
export function runWords(plan: Plan, deviceId: string, terminalId: string, channels: readonly number[]): string {
  const terminal = terminalAt(plan, { deviceId, terminalId });
  const printed = channels.map((c) => printedNumber(terminal, c));
  return `${deviceName(plan, deviceId)}, ${terminal?.name ?? terminalId} ${channelRuns(printed)}`;
}

const db = (value: number) => `${Math.abs(value).toFixed(1).replace(/\.0$/, '')} dB`;
export const dbu = (value: number) =>
  `${value > 0 ? '+' : ''}${value.toFixed(1).replace(/\.0$/, '')} dBu`.replace('-', '−');
export const signedDb = (value: number) =>
  `${value > 0 ? '+' : ''}${value.toFixed(1).replace(/\.0$/, '')} dB`.replace('-', '−');

/** A level at a socket and inside the device, and how sure it is; null: nothing is known of it. */
export function levelWords(at: {
  readonly levelDbu: number | null;
  readonly levelDbfs: number | null;
  readonly alikeDb: number;
  readonly isAtLeast: boolean;
}): string | null {
  const parts = [
    at.levelDbu === null ? null : dbu(at.levelDbu),
    at.levelDbfs === null ? null : `${signedDb(at.levelDbfs)}FS`,
  ].filter((p) => p !== null);
  if (parts.length === 0) return null;
  const least = at.isAtLeast && at.levelDbfs !== null ? 'at least ' : '';
  const alike = at.alikeDb < 0.05 ? '' : ` (${signedDb(at.alikeDb)} if correlated)`;
  return `${least}${parts.join(', ')}${alike}`;
}

/** What does not fit at an analogue end, with its numbers. */
export function misfitWords(misfit: LevelMisfit): string {
  switch (misfit.code) {
    case 'level-mismatch':
      return `${dbu(misfit.givesDbu)} into an input for ${dbu(misfit.wantsDbu)}: ${db(misfit.differenceDb)} too ${misfit.differenceDb > 0 ? 'loud' : 'quiet'}`;
    case 'clips':
      return `clips: ${dbu(misfit.mostDbu)} with ${signedDb(misfit.gainDb)} of gain is ${db(misfit.overDb)} over full scale (${dbu(misfit.fullScaleDbu)})`;
    case 'too-quiet':
      return `too quiet: ${dbu(misfit.usualDbu)} with ${signedDb(misfit.gainDb)} of gain is only ${signedDb(misfit.dbfs)}FS`;
    case 'bus-clips':
      return `clips: at most ${signedDb(misfit.mostDbfs)}FS, sent at ${signedDb(misfit.sendDb)}, is ${db(misfit.overDb)} over full scale`;
    case 'phantom-into-output':
      return 'phantom power into a line output';
    case 'phantom-unneeded':
      return 'phantom power on, and the microphone has its own supply';
    case 'analogue-into-digital':
      return `an analogue source in an ${misfit.format} input`;
    case 'loudspeaker-on-line':
      return `a loudspeaker of ${misfit.ohm} Ω on a line output: it needs an amplifier`;
    case 'no-powering':
      return 'the microphone needs phantom power, and it is off';
    case 'cable-too-long':
      return `${misfit.metres} m of cable; the limit is ${misfit.metresMax} m`;
    case 'power-too-high':
      return `up to ${Math.round(misfit.givesW)} W into a loudspeaker rated ${misfit.takesW} W`;
    case 'load-too-low':
      return `a load of ${misfit.ohm} Ω; the minimum of the output is ${misfit.ohmMin} Ω`;
  }
}

export function signalTitle(plan: Plan, finding: SignalSubject & { readonly deviceIds: readonly string[] }): string {
  const deviceId = finding.deviceIds[0] ?? '';
  switch (finding.about) {
    case 'feedback-loop': {
      const start = finding.ring[0] as SignalEnd;
      const others = finding.deviceIds.slice(1).map((id) => deviceName(plan, id));
      const through = others.length === 0 ? '' : ` through ${others.join(', ')}`;
      return `${endWords(plan, start)} feeds itself${through}: a feedback loop ${finding.hasFader ? 'with a fader in it' : 'that no fader breaks'}`;
    }
    case 'same-sound-twice': {
      const [early, late] = finding.delaysNs;
      return `${endWords(plan, finding.bus)} mixes ${endWords(plan, finding.source)} twice, ${time(late - early)} apart`;
    }
    case 'fed-by-nothing':
      return `${runWords(plan, deviceId, finding.terminalId, finding.channels)}: in use, and no source reaches ${finding.channels.length === 1 ? 'it' : 'them'}`;
    case 'heard-by-nobody':
      return `${runWords(plan, deviceId, finding.terminalId, finding.channels)}: plugged in and not used`;
    case 'patch-block':
      return `${runWords(plan, deviceId, finding.terminalId, finding.channels)}: patched in blocks of ${finding.blockSize}, and this block is broken`;
    case 'tap-too-late':
      return `${endWords(plan, finding.asking)} asks for ${TAP_WORDS[finding.asked]}; ${
        sameValue(finding.asking, finding.fed) ? 'it' : terminalChannel(plan, finding.fed)
      } takes ${terminalChannel(plan, finding.from)} ${TAP_WORDS[finding.taken]}`;
    case 'socket-used-twice':
      return `${runWords(plan, deviceId, finding.terminalId, [finding.channel])}: ${count(finding.cableIds.length + (finding.plugged === null ? 0 : 1), 'plug')} in one socket`;
    case 'payload-half':
      return `${endWords(plan, finding.at)} receives one channel of the pair of ${endWords(plan, finding.source)}: coded sound (ST 337) takes both, and L24 carries no channel status`;
    case 'payload-broken':
      return `${endWords(plan, finding.source)} is data-reduced, and ${BIT_WORDS[finding.because]} at ${endWords(plan, finding.at)} breaks it`;
    case 'coherence-apart': {
      const name = plan.coherenceGroups.get(finding.groupId)?.name ?? finding.groupId;
      const [least, most] = finding.offsetsNs ?? [0, 0];
      const offsets = least === most ? '' : `, with link offsets from ${time(least)} to ${time(most)}`;
      return `${name}: the last of them sounds ${time(finding.spreadNs)} after the first${offsets}`;
    }
    case 'side-traffic-ends': {
      const name = plan.sideTraffic.get(finding.trafficId)?.name ?? finding.trafficId;
      return finding.at === null
        ? `${name}: no audio path, so ${finding.kind} has no way`
        : `${name}: ${finding.kind} ends at ${endWords(plan, finding.at)}, which does not carry it`;
    }
    case 'battery-low':
      return `${endWords(plan, { deviceId, terminalId: finding.terminalId, channel: finding.channel })}: battery at ${Math.round(finding.percent)} %`;
    case 'patch-differs':
      return `${deviceName(plan, deviceId)} differs from the planned patch at ${count(finding.differences.length, 'channel')}`;
    case 'substitute-standing': {
      const name = plan.substitutions.get(finding.substitutionId)?.name ?? finding.substitutionId;
      return `${name}: ${count(finding.channelCount, 'channel')} fed by a substitute for ${count(finding.days, 'day')}${finding.by === null ? '' : `, started by ${finding.by}`}`;
    }
    case 'bus-clips':
      return `${endWords(plan, { deviceId, terminalId: finding.terminalId, channel: finding.channel })}: ${terminalChannel(plan, finding.misfit.from)} ${misfitWords(finding.misfit)}`;
    case 'analogue-end':
      return `${endWords(plan, { deviceId, terminalId: finding.terminalId, channel: finding.channel })}: ${misfitWords(finding.misfit)}`;
  }
}

export function signalFixWords(plan: Plan, fix: SignalFix): string {
  switch (fix.does) {
    case 'feed-pair':
      return `Feed ${deviceName(plan, fix.deviceId)} ${fix.channel} from the other channel of the pair`;
    case 'set-send':
      return `Set the send from ${terminalChannel(plan, fix.from)} to ${endWords(plan, fix.bus)} to ${signedDb(fix.levelDb)}`;
    case 'send-off':
      return `Turn off the send from ${terminalChannel(plan, fix.from)} to ${endWords(plan, fix.bus)}`;
    case 'share-offset':
      return `Set the link offset of ${count(fix.devices, 'device')} to ${time(fix.offsetNs)}, the smallest that fits ${fix.groupName}`;
    case 'end-substitution':
      return `End ${fix.name}`;
    case 'import-patch':
      return `Import the patch of ${deviceName(plan, fix.deviceId)} from the field: ${count(fix.channels, 'channel')}${fix.left === 0 ? '' : `; ${fix.left} fed from what its model does not have`}`;
    case 'unpatch':
      return `Unpatch ${endWords(plan, fix.fed)}`;
    case 'patch-as-normalled':
      return `Restore the default patch of ${runWords(plan, fix.deviceId, fix.terminalId, fix.channels)}`;
    case 'patch-whole-block':
      return `Patch the whole block ${runWords(plan, fix.deviceId, fix.terminalId, fix.channels)} in step`;
    case 'set-tap':
      return `Tap it ${TAP_WORDS[fix.tap]}`;
    case 'remove-audio-cable':
      return `Remove the cable ${fix.name}`;
    case 'unplug':
      return `Unplug ${fix.name}`;
    case 'set-phantom':
      return `Turn phantom power ${fix.isOn ? 'on' : 'off'} at ${endWords(plan, fix.end)}`;
    case 'set-gain':
      return `Set the gain to ${signedDb(fix.gainDb)}`;
    case 'attenuate':
      return `Put an attenuator of ${db(fix.attenuationDb)} into the cable at ${endWords(plan, fix.end)}`;
    case 'set-pad':
      return `Switch the pad in: ${signedDb(-fix.padDb)}`;
  }
}

const SIGNAL_FIXES = {
  'send-off': true,
  'set-send': true,
  'feed-pair': true,
  'end-substitution': true,
  'share-offset': true,
  'import-patch': true,
  unpatch: true,
  'patch-as-normalled': true,
  'patch-whole-block': true,
  'set-tap': true,
  'remove-audio-cable': true,
  unplug: true,
  'set-phantom': true,
  'set-gain': true,
  'set-pad': true,
  attenuate: true,
} as const satisfies Record<SignalFix['does'], true>;

export const isSignalFix = <F extends { readonly does: string }>(fix: F): fix is F & SignalFix =>
  fix.does in SIGNAL_FIXES;
