import { blockOf } from '../patch/blocks';
import { PLAIN_CHANNEL } from '../signal/channel-settings-table';
import type { Command } from '../plan/commands';
import type { Plan } from '../plan/plan';
import { importDevicePatch } from '../edits/import-device-patch';
import { endSubstitution } from '../edits/substitute';
import { cablesInto } from '../signal/cabled';
import { pluggedAt, settingsAt } from '../signal/levels';
import { terminalAt, type SignalEnd } from '../signal/signal-end';
import { inputGainDb } from '../signal/levels';
import { USUAL_DBFS } from '../signal/level-checks';
import type { LevelFacts } from '../signal/terminal-shape';
import type { FindingAbout } from './finding';
import type { SignalFix } from './signal-fix';
import type { SignalSubject } from './signal-subject';
import { tried, untried, type WaysOut } from './rule';

const keyOf = ({ terminalId, channel }: Omit<SignalEnd, 'deviceId'>) => `${terminalId}/${channel}`;

/** The edge from one channel of a device to another cut: a send turned off, a patch taken away. */
function cut(plan: Plan, from: SignalEnd, to: SignalEnd): SignalFix[] {
  const send = plan.busSends.get(to.deviceId)?.get(`${keyOf(to)}/${keyOf(from)}`);
  if (send !== undefined) {
    return [{ does: 'send-off', from, bus: to, commands: [{ kind: 'put-bus-send', send: { ...send, isOn: false } }] }];
  }
  const patch = plan.patches.get(to.deviceId)?.get(keyOf(to));
  if (patch === undefined) return [];
  return [{ does: 'unpatch', fed: to, commands: [{ kind: 'put-patch', patch: { ...patch, from: null, tap: null } }] }];
}

function settingsWith(plan: Plan, end: SignalEnd, change: object): Command {
  const { deviceId, terminalId, channel } = end;
  const settings = settingsAt(plan, end) ?? { ...PLAIN_CHANNEL, deviceId, terminalId, channel };
  return { kind: 'put-channel-settings', settings: { ...settings, ...change } };
}

/** An attenuator in the cable of a socket, of whole decibels. */
function attenuators(plan: Plan, end: SignalEnd, tooMuchDb: number): SignalFix[] {
  const [cable] = cablesInto(plan, end);
  const plugged = pluggedAt(plan, end);
  const attenuationDb = Math.ceil(tooMuchDb) + ((cable ?? plugged)?.attenuationDb ?? 0);
  const commands: Command[] =
    cable !== undefined
      ? [{ kind: 'put-audio-cable', cable: { ...cable, attenuationDb } }]
      : plugged !== undefined
        ? [{ kind: 'put-plugged-in', plugged: { ...plugged, attenuationDb } }]
        : [];
  return commands.length === 0 ? [] : [{ does: 'attenuate', end, attenuationDb, commands }];
}

/** Down to a step that the gain has, counted from its lowest. */
function onGainStep({ gainMinDb }: LevelFacts, gainDb: number, stepDb: number | null): number {
  const least = gainMinDb ?? 0;
  return stepDb === null || stepDb <= 0 ? gainDb : least + Math.floor((gainDb - least) / stepDb + 1e-9) * stepDb;
}

function analogueFixes(plan: Plan, finding: FindingAbout<'analogue-end'>): SignalFix[] {
  const { deviceIds, terminalId, channel, misfit } = finding;
  const end = { deviceId: deviceIds[0] ?? '', terminalId, channel };
  const level = terminalAt(plan, end)?.level;
  if (level == null) return [];
  const phantom = (isOn: boolean): SignalFix => ({
    does: 'set-phantom',
    end,
    isOn,
    commands: [settingsWith(plan, end, { hasPhantom: isOn })],
  });
  switch (misfit.code) {
    case 'phantom-into-output':
    case 'phantom-unneeded':
      return [phantom(false)];
    case 'no-powering':
      return level.hasPhantom ? [phantom(true)] : [];
    case 'level-mismatch':
      return misfit.differenceDb > 0 ? attenuators(plan, end, misfit.differenceDb) : [];
    case 'too-quiet': {
      const { gainMaxDb, gainStepDb, fullScaleDbu } = level;
      if (gainMaxDb === null || fullScaleDbu === null) return [];
      const wanted = Math.min(gainMaxDb, misfit.gainDb + USUAL_DBFS - misfit.dbfs);
      const gainDb = onGainStep(level, wanted, gainStepDb);
      return [{ does: 'set-gain', end, gainDb, commands: [settingsWith(plan, end, { gainDb })] }];
    }
    case 'clips': {
      const fixes: SignalFix[] = [];
      const lower = misfit.gainDb - misfit.overDb + (settingsAt(plan, end)?.hasPad === true ? (level.padDb ?? 0) : 0);
      // Down to a step that the gain has, so that the most that comes is full scale at the highest.
      const gainDb = onGainStep(level, lower, level.gainStepDb);
      if (
        level.gainMinDb !== null &&
        level.gainMaxDb !== null &&
        gainDb >= level.gainMinDb &&
        gainDb <= level.gainMaxDb
      ) {
        fixes.push({ does: 'set-gain', end, gainDb, commands: [settingsWith(plan, end, { gainDb })] });
      }
      if (level.padDb !== null && settingsAt(plan, end)?.hasPad !== true && inputGainDb(plan, end, level) >= 0) {
        fixes.push({ does: 'set-pad', end, padDb: level.padDb, commands: [settingsWith(plan, end, { hasPad: true })] });
      }
      return [...fixes, ...attenuators(plan, end, misfit.overDb)];
    }
    default:
      return [];
  }
}

/** They are tried: whether a cut ends a loop shows only then. */
export const SIGNAL_WAYS: WaysOut<SignalSubject['about']> = {
  'feedback-loop': tried((plan, { ring }) =>
    ring.flatMap((from, n) => cut(plan, from, ring[(n + 1) % ring.length] as SignalEnd)),
  ),
  'same-sound-twice': tried((plan, { bus, feeders: [early, late] }) => [
    ...cut(plan, late, bus),
    ...cut(plan, early, bus),
  ]),
  'fed-by-nothing': tried((plan, { deviceIds: [deviceId = ''], terminalId, channels }) => {
    const emptied = channels.filter((c) => plan.patches.get(deviceId)?.has(`${terminalId}/${c}`));
    if (emptied.length === 0) return [];
    const commands = emptied.map((channel): Command => ({ kind: 'remove-patch', deviceId, terminalId, channel }));
    return [{ does: 'patch-as-normalled', deviceId, terminalId, channels: emptied, commands }];
  }),
  // Who is to receive it is the engineer's to say.
  'heard-by-nobody': untried(() => []),
  'patch-block': tried((plan, { deviceIds: [deviceId = ''], terminalId, channels, blockSize }) => {
    const own = plan.patches.get(deviceId);
    const first = channels.map((c) => own?.get(`${terminalId}/${c}`)?.from ?? null).find((f) => f !== null);
    const fixes: SignalFix[] = [];
    const count = first && terminalAt(plan, { deviceId, terminalId: first.terminalId })?.channels;
    if (first && count !== undefined) {
      const from = blockOf({ blockSize, channels: count }, first.channel).channels;
      if (from.length >= channels.length) {
        const commands = channels.map((channel, n): Command => ({
          kind: 'put-patch',
          patch: {
            deviceId,
            terminalId,
            channel,
            from: { terminalId: first.terminalId, channel: from[n] as number },
            tap: null,
          },
        }));
        fixes.push({ does: 'patch-whole-block', deviceId, terminalId, channels, commands });
      }
    }
    const patched = channels.filter((c) => own?.has(`${terminalId}/${c}`));
    const commands = patched.map((channel): Command => ({ kind: 'remove-patch', deviceId, terminalId, channel }));
    return [...fixes, { does: 'patch-as-normalled', deviceId, terminalId, channels: patched, commands }];
  }),
  'tap-too-late': tried((plan, { fed, from, asked }) => {
    const send = plan.busSends.get(fed.deviceId)?.get(`${keyOf(fed)}/${keyOf(from)}`);
    if (send !== undefined) {
      return [
        { does: 'set-tap', fed, tap: asked, commands: [{ kind: 'put-bus-send', send: { ...send, tap: asked } }] },
      ];
    }
    const { deviceId, terminalId, channel } = fed;
    const source = { terminalId: from.terminalId, channel: from.channel };
    const patch = { deviceId, terminalId, channel, from: source, tap: asked };
    const isOffered = terminalAt(plan, from)?.taps.includes(asked) === true;
    const isPatchable = terminalAt(plan, fed)?.patchFrom.includes(from.terminalId) === true;
    return isOffered && isPatchable
      ? [{ does: 'set-tap', fed, tap: asked, commands: [{ kind: 'put-patch', patch }] }]
      : [];
  }),
  'socket-used-twice': tried((plan, { deviceIds: [deviceId = ''], terminalId, channel, cableIds }) => {
    const plugged = pluggedAt(plan, { deviceId, terminalId, channel });
    const cables = cableIds.map((cableId): SignalFix => ({
      does: 'remove-audio-cable',
      name: plan.audioCables.get(cableId)?.name ?? cableId,
      commands: [{ kind: 'remove-audio-cable', cableId }],
    }));
    if (plugged === undefined) return cables;
    const commands: Command[] = [{ kind: 'remove-plugged-in', deviceId, terminalId, channel }];
    return [{ does: 'unplug', deviceId, name: plugged.name, commands }, ...cables];
  }),
  'coherence-apart': tried((plan, { groupId, sharedNs }) => {
    const group = plan.coherenceGroups.get(groupId);
    if (group === undefined || sharedNs === null) return [];
    const deviceIds = [...new Set(group.members.map((m) => m.deviceId))];
    const commands = deviceIds.map((deviceId): Command => ({
      kind: 'change-device',
      deviceId,
      change: { linkOffsetNs: sharedNs },
    }));
    return [{ does: 'share-offset', groupName: group.name, offsetNs: sharedNs, devices: deviceIds.length, commands }];
  }),
  // Another way has to be found for it: which, is the engineer's to say.
  'payload-half': tried((plan, { at: { deviceId, channel } }) => {
    const lane = plan.subscriptions.get(deviceId)?.get(channel);
    if (lane === undefined) return [];
    const step = lane.senderChannel % 2 === 1 ? 1 : -1;
    const other = { ...lane, receiverChannel: channel + step, senderChannel: lane.senderChannel + step };
    const isFree = plan.subscriptions.get(deviceId)?.has(other.receiverChannel) !== true && other.receiverChannel > 0;
    return isFree
      ? [
          {
            does: 'feed-pair',
            deviceId,
            channel: other.receiverChannel,
            commands: [{ kind: 'subscribe', subscriptions: [other] }],
          },
        ]
      : [];
  }),
  'payload-broken': untried(() => []),
  // Which way it is to go is the engineer's to say.
  'side-traffic-ends': untried(() => []),
  // Hands have to change it.
  'battery-low': untried(() => []),
  // The device knows what it does, whatever a trial of the plan shows.
  'patch-differs': untried((plan, { deviceIds: [deviceId = ''], differences }) => {
    const { commands, left } = importDevicePatch(plan, deviceId, differences);
    const channels = differences.length - left;
    return channels === 0 ? [] : [{ does: 'import-patch', deviceId, channels, left, commands }];
  }),
  // It goes with time, which a trial of the plan does not show.
  'substitute-standing': untried((plan, { substitutionId }) => {
    const substitution = plan.substitutions.get(substitutionId);
    if (substitution === undefined) return [];
    const { commands } = endSubstitution(plan, substitution);
    return [{ does: 'end-substitution', name: substitution.name, commands }];
  }),
  'bus-clips': tried((plan, { deviceIds: [deviceId = ''], terminalId, channel, misfit }) => {
    const { terminalId: fromTerminalId, channel: fromChannel } = misfit.from;
    const send = plan.busSends.get(deviceId)?.get(`${terminalId}/${channel}/${fromTerminalId}/${fromChannel}`);
    const levelDb = Math.floor(misfit.sendDb - misfit.overDb);
    const bus = { deviceId, terminalId, channel };
    return send === undefined
      ? []
      : [
          {
            does: 'set-send',
            bus,
            from: misfit.from,
            levelDb,
            commands: [{ kind: 'put-bus-send', send: { ...send, levelDb } }],
          },
        ];
  }),
  'analogue-end': tried((plan, finding) => analogueFixes(plan, finding)),
};
