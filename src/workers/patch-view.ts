import { groupDelay, type GroupDelay } from '../core/delay/coherence';
import type { Reckoning } from '../core/reckon/reckoning';
import { ownName, soundName } from '../core/signal/channel-names';
import { nodeIn } from '../core/signal/device-part';
import { firstMisfit, followSignal, type SignalStep, type Direction } from '../core/signal/follow';
import { fedBy } from '../core/signal/fed-by';
import { channelAt, feedersOf, onlyFeederOf } from '../core/signal/graph';
import { channelMisfits, type LevelMisfit } from '../core/signal/level-checks';
import { levelsOf } from '../core/signal/levels';
import { endOf, type SignalEnd } from '../core/signal/signal-end';
import { along } from '../core/signal/walk';

/** What the page is told of the channels of one device and of the way of a sound. */

export interface PatchChannel {
  readonly terminalId: string;
  readonly channel: number;
  /** What the channel itself is called, and what its sound is called where it comes from. */
  readonly ownName: string | null;
  readonly soundName: string | null;
  /** What feeds it, within the device or from outside, or would if its lane were not refused; several for a bus. */
  readonly feeders: readonly SignalEnd[];
  /** How many channels it feeds. */
  readonly feeds: number;
  readonly isFed: boolean;
  readonly isReceived: boolean;
  /** The radio channel whose sound it is, however that travels; null: none, or a mix. */
  readonly radio: SignalEnd | null;
  readonly misfits: readonly LevelMisfit[];
  readonly levelDbu: number | null;
  readonly levelDbfs: number | null;
  /** As in `SignalLevel`. */
  readonly alikeDb: number;
  readonly isAtLeast: boolean;
}

export interface DevicePatch {
  readonly deviceId: string;
  readonly channels: readonly PatchChannel[];
}

/** A channel in a device, and what the sound there is called. */
export interface SoundAt extends SignalEnd {
  readonly terminal: string;
  readonly countsFrom: number;
  /** As its row has it. */
  readonly name: string;
  /** Its own name, or that of the sound, where it goes by the other. */
  readonly other: string;
}

/** Channels inside every device, with what their sound is called; those that nobody named are left out. Network channels have rows of their own. */
export function soundsOf({ plan, signal }: Reckoning): SoundAt[] {
  const sounds: SoundAt[] = [];
  for (const [deviceId, { terminals }] of signal.parts) {
    for (const { id: terminalId, kind, direction, name: terminal, channels, countsFrom } of terminals) {
      if (kind === 'network') continue;
      for (let channel = 1; channel <= channels; channel += 1) {
        const end = { deviceId, terminalId, channel };
        const [own, sound] = [ownName(plan, end), soundName(signal, plan, end)];
        const [name, other] = direction === 'in' ? [sound ?? own, own] : [own ?? sound, sound];
        if (name !== null) sounds.push({ ...end, terminal, countsFrom, name, other: other ?? name });
      }
    }
  }
  return sounds;
}

/** Every channel of a device, terminal by terminal; null: the plan has no such device, or its model has no channels. */
export function patchView({ plan, signal, signalFlow }: Reckoning, deviceId: string): DevicePatch | null {
  const part = signal.parts.get(deviceId);
  const first = signal.firstNode.get(deviceId);
  const flow = signalFlow.byDevice.get(deviceId);
  if (part === undefined || first === undefined || flow === undefined) return null;
  const level = levelsOf(signal, plan);
  const channels = part.terminals.flatMap((t) =>
    Array.from({ length: t.channels }, (_, n): PatchChannel => {
      const end = { deviceId, terminalId: t.id, channel: n + 1 };
      const node = nodeIn(part, t.id, n + 1);
      const { dbu, dbfs, alikeDb, isAtLeast } = level(first + node);
      return {
        terminalId: t.id,
        channel: n + 1,
        ownName: ownName(plan, end),
        soundName: soundName(signal, plan, end),
        feeders: feedersOrRefused(signal, first + node).map((from) => endOf(channelAt(signal, from))),
        feeds: fedBy(signal, first + node).length,
        isFed: flow.isFed[node] === 1,
        isReceived: flow.isReceived[node] === 1,
        radio: radioBehind(signal, first + node),
        misfits: channelMisfits(plan, end),
        levelDbu: dbu,
        levelDbfs: dbfs,
        alikeDb,
        isAtLeast,
      };
    }),
  );
  return { deviceId, channels };
}

export interface FollowedStep extends SignalStep {
  readonly name: string | null;
}
export interface Followed {
  readonly steps: readonly FollowedStep[];
  /** The place of the first step that does not fit; null: all do. */
  readonly firstMisfit: number | null;
}

export function followed({ plan, signal, lanesByReceiver }: Reckoning, start: SignalEnd, way: Direction): Followed {
  const laneOf = (id: string, channel: number) => lanesByReceiver.get(id)?.get(channel);
  const steps = followSignal({ graph: signal, plan, laneOf }, start, way);
  return { steps: steps.map((s) => ({ ...s, name: soundName(signal, plan, s) })), firstMisfit: firstMisfit(steps) };
}

/** Every coherence group of the plan, by id. */
export function coherenceView({
  plan,
  signal,
  lanesByReceiver,
}: Reckoning): (GroupDelay & { readonly groupId: string })[] {
  const facts = { ...plan, signal, lanesByReceiver };
  return [...plan.coherenceGroups.values()].map((group) => ({ groupId: group.id, ...groupDelay(facts, group) }));
}

function feedersOrRefused(signal: Reckoning['signal'], node: number): readonly number[] {
  const refused = signal.refused.get(node);
  return refused === undefined ? feedersOf(signal, node) : [refused];
}

/** The radio channel that a channel has its sound from, along one way that mixes nothing. */
function radioBehind(graph: Reckoning['signal'], start: number): SignalEnd | null {
  for (const node of along(start, (n) => onlyFeederOf(graph, n))) {
    const at = channelAt(graph, node);
    if (at.terminal.kind === 'radio') return endOf(at);
  }
  return null;
}
