import { nodeIn, NOBODY, type DevicePart } from '../signal/device-part';
import type { DeviceFlow } from '../signal/device-flow';
import { fedBy } from '../signal/fed-by';
import { feedersOf, type SignalGraph } from '../signal/graph';
import type { PluggedIn } from '../signal/plugged-in-table';
import type { Terminal } from '../signal/terminals';
import { onceFor, onceWith } from '../plan/once-for';
import { allReached } from '../signal/walk';
import type { FindingAbout } from './finding';
import { rule } from './rule';

const FINDS = ['fed-by-nothing', 'heard-by-nobody'] as const;
type Found = FindingAbout<(typeof FINDS)[number]>;

type PluggedHere = ReadonlyMap<string, PluggedIn> | undefined;

const NONE: readonly number[] = [];

/** The channels of an output that a sink would receive and no source reaches. */
function silentChannels({ isFed, isReceived }: DeviceFlow, first: number, count: number): readonly number[] {
  let channels: number[] | null = null;
  for (let n = 0; n < count; n += 1)
    if (isReceived[first + n] === 1 && isFed[first + n] === 0) (channels ??= []).push(n + 1);
  return channels ?? NONE;
}

/** Whether a device only turns links into network channels and back, and so is of use only with a cable: a converter. */
const isConverterOf = onceFor(
  (terminals: DevicePart['terminals']): boolean =>
    terminals.some((t) => t.kind === 'link' && t.direction === 'in') &&
    terminals.every((t) => t.direction !== 'inside'),
);
const isConverter = ({ terminals }: DevicePart): boolean => isConverterOf(terminals);

const hasStrips = ({ terminals }: DevicePart): boolean => terminals.some((t) => t.kind === 'strip');

/** Strips that are fed and reach no sink: their sound comes into the desk and goes nowhere. */
function strandedStrips({ isFed, isReceived }: DeviceFlow, first: number, count: number): readonly number[] {
  let channels: number[] | null = null;
  for (let n = 0; n < count; n += 1) {
    if (isFed[first + n] === 1 && isReceived[first + n] === 0) (channels ??= []).push(n + 1);
  }
  return channels ?? NONE;
}

/**
 * Outputs of a device with a planned inside, or of a converter, with a sink behind them and no source before them; sources and strips that
 * reach no sink.
 */
const deadEndsOf = onceWith((flow: DeviceFlow, part: DevicePart, plugged: PluggedHere): readonly Found[] => {
  const findings: Found[] = [];
  const { deviceId } = part;
  const find = (about: 'fed-by-nothing' | 'heard-by-nobody', terminalId: string, channels: readonly number[]) => {
    if (channels.length === 0) return;
    const severity = about === 'fed-by-nothing' ? 'caution' : 'note';
    const id = `${about}|${deviceId}|${terminalId}`;
    findings.push({ id, severity, deviceIds: [deviceId], about, terminalId, channels });
  };
  let unheardAt: Map<string, number[]> | null = null;
  const { isReceived } = flow;
  for (const { terminalId, channel } of plugged?.values() ?? []) {
    const node = nodeIn(part, terminalId, channel);
    if (node === NOBODY || isReceived[node] === 1) continue;
    unheardAt ??= new Map();
    const channels = unheardAt.get(terminalId);
    if (channels === undefined) unheardAt.set(terminalId, [channel]);
    else channels.push(channel);
  }
  for (let n = 0; n < part.terminals.length; n += 1) {
    const t = part.terminals[n] as Terminal;
    const first = part.firstNode[n] as number;
    // Programs may record silence; where a sound of the plan should come, its sender tells.
    if (t.direction === 'out' && t.kind !== 'computer' && (part.isPlanned || isConverter(part))) {
      find('fed-by-nothing', t.id, silentChannels(flow, first, t.channels));
    }
    if (t.kind === 'strip') find('heard-by-nobody', t.id, strandedStrips(flow, first, t.channels));
    const unheard = t.direction === 'in' ? unheardAt?.get(t.id) : undefined;
    if (unheard !== undefined)
      find(
        'heard-by-nobody',
        t.id,
        unheard.sort((a, b) => a - b),
      );
  }
  return findings;
});

/**
 * Without the channels that a refused lane would feed, or take from: the lane itself says why they are silent. @param wouldBe by what they are, the
 * channels that are so because of a refused lane
 */
function apartFromRefusals(
  { firstNode, parts }: SignalGraph,
  findings: readonly Found[],
  wouldBe: Readonly<Record<Found['about'], Uint8Array>>,
): readonly Found[] {
  return findings.flatMap((finding) => {
    const { about, deviceIds, terminalId } = finding;
    const part = parts.get(deviceIds[0] as string) as DevicePart;
    const first = firstNode.get(part.deviceId) as number;
    const isLeft = (channel: number) => wouldBe[about][first + nodeIn(part, terminalId, channel)] === 0;
    const channels = finding.channels.filter(isLeft);
    return channels.length === 0 ? [] : [{ ...finding, channels }];
  });
}

export const deadEndRule = rule({
  finds: FINDS,
  reads: ['signal', 'signalFlow', 'pluggedIn'],
  find: ({ signal, signalFlow, pluggedIn }) => {
    const findings: Found[] = [];
    // In a plan of lanes alone nobody says what is plugged in: then nothing is received, and that says nothing.
    const isSoundPlanned = pluggedIn.size > 0;
    for (const [id, part] of signal.parts) {
      const plugged = pluggedIn.get(id);
      const isLookedAt =
        part.isPlanned || plugged !== undefined || (isSoundPlanned && (isConverter(part) || hasStrips(part)));
      const flow = isLookedAt ? signalFlow.byDevice.get(id) : undefined;
      if (flow !== undefined) findings.push(...deadEndsOf(flow, part, plugged));
    }
    findings.sort((a, b) => (a.id < b.id ? -1 : 1));
    if (findings.length === 0 || signal.refused.size === 0) return findings;
    return apartFromRefusals(signal, findings, {
      'fed-by-nothing': allReached(signal.size, signal.refused.keys(), (node) => fedBy(signal, node)),
      'heard-by-nobody': allReached(signal.size, signal.refused.values(), (node) => feedersOf(signal, node)),
    });
  },
});
