import { groupDelay } from '../delay/coherence';
import { blockOf, isBlockWhole } from '../patch/blocks';
import { tapBetween } from '../patch/taps';
import { bitWays } from '../signal/bit-true';
import { cablesBySocket, textOfEnd } from '../signal/cabled';
import { NOBODY, terminalIndexAt, type DevicePart } from '../signal/device-part';
import { channelAt, feedersOf, nodeOf, type ChannelAt, type SignalGraph } from '../signal/graph';
import { channelMisfits } from '../signal/level-checks';
import { levelsOf, pluggedAt } from '../signal/levels';
import { isSource, type PluggedIn } from '../signal/plugged-in-table';
import { endOf, type SignalEnd } from '../signal/signal-end';
import { sideWay } from '../signal/side-way';
import { TAPS } from '../signal/terminal-shape';
import type { Terminal } from '../signal/terminals';
import { nearestFirst } from '../signal/walk';
import type { FindingAbout } from './finding';
import { rule } from './rule';

export const loopRule = rule({
  finds: ['feedback-loop'],
  reads: ['signal', 'signalFlow', 'patches', 'busSends'],
  find: ({ signal, signalFlow, ...plan }) =>
    signalFlow.loops.map((nodes): FindingAbout<'feedback-loop'> => {
      const ring = nodes.map((node) => channelAt(signal, node));
      const hasFader = ring.some((from, n) => {
        const to = ring[(n + 1) % ring.length] as (typeof ring)[number];
        const tap = from.deviceId === to.deviceId && to.terminal.direction !== 'in' ? tapBetween(plan, from, to) : null;
        return tap === 'after-fader' || tap === 'after-mute';
      });
      return {
        id: `loop|${textOfEnd(ring[0] as SignalEnd)}`,
        severity: hasFader ? 'caution' : 'refusal',
        deviceIds: [...new Set(ring.map((end) => end.deviceId))],
        about: 'feedback-loop',
        ring: ring.map(endOf),
        hasFader,
      };
    }),
});

export const sideTrafficRule = rule({
  finds: ['side-traffic-ends'],
  reads: ['sideTraffic', 'signal'],
  find: ({ sideTraffic, signal }) =>
    [...sideTraffic.values()]
      .flatMap((traffic): FindingAbout<'side-traffic-ends'>[] => {
        const way = sideWay(signal, traffic);
        if (way.is === 'carried') return [];
        return [
          {
            id: `side-traffic|${traffic.id}`,
            severity: 'caution',
            deviceIds: [...new Set([traffic.from.deviceId, traffic.to.deviceId])],
            about: 'side-traffic-ends',
            trafficId: traffic.id,
            kind: traffic.kind,
            at: way.is === 'ends' ? way.at : null,
          },
        ];
      })
      .sort((a, b) => (a.id < b.id ? -1 : 1)),
});

export const blockRule = rule({
  finds: ['patch-block'],
  reads: ['signalParts'],
  find: ({ signalParts }) =>
    [...signalParts.values()].flatMap((part) => brokenBlocks(part)).sort((a, b) => (a.id < b.id ? -1 : 1)),
});

function brokenBlocks(part: DevicePart): FindingAbout<'patch-block'>[] {
  if (part.patches === undefined) return [];
  return part.terminals.flatMap((t, n) => {
    if (t.blockSize === 1 || t.hasExceptions || t.direction === 'in') return [];
    const first = part.firstNode[n] as number;
    const found: FindingAbout<'patch-block'>[] = [];
    for (let at = 1; at <= t.channels; at += t.blockSize) {
      const { channels } = blockOf(t, at);
      // As the model leads it by itself it can be, however many channels there are to lead there.
      if (!channels.some((c) => part.patches?.has(`${t.id}/${c}`))) continue;
      const feeders = channels.map((c) => {
        const from = part.feeders[first + c - 1] as number;
        if (from === NOBODY) return null;
        const k = terminalIndexAt(part, from);
        return { terminalId: (part.terminals[k] as Terminal).id, channel: from - (part.firstNode[k] as number) + 1 };
      });
      if (isBlockWhole(t.blockSize, feeders)) continue;
      found.push({
        id: `block|${part.deviceId}|${t.id}|${at}`,
        severity: 'refusal',
        deviceIds: [part.deviceId],
        about: 'patch-block',
        terminalId: t.id,
        channels,
        blockSize: t.blockSize,
      });
    }
    return found;
  });
}

/**
 * The edges by which a channel is fed within its device, back to strips: a direct out or monitor on the way passes on what was taken before it. A
 * bus is a sound of its own: what is sent to it was meant so.
 */
function edgesBehind(signal: SignalGraph, node: number): { readonly source: number; readonly fed: number }[] {
  const { deviceId } = channelAt(signal, node);
  const isPassedOn = ({ terminal }: ChannelAt) =>
    terminal.direction === 'inside' && !['strip', 'bus'].includes(terminal.kind);
  const edges: { source: number; fed: number }[] = [];
  const leadsOn = ({ node: fed }: { node: number }) => {
    const sources = feedersOf(signal, fed).filter((source) => channelAt(signal, source).deviceId === deviceId);
    edges.push(...sources.map((source) => ({ source, fed })));
    return sources.filter((source) => isPassedOn(channelAt(signal, source)));
  };
  for (const _ of nearestFirst([node], leadsOn));
  return edges;
}

export const tapRule = rule({
  finds: ['tap-too-late'],
  reads: ['signal', 'patches', 'busSends', 'channelSettings'],
  find: ({ signal, channelSettings, ...plan }) => {
    const findings: FindingAbout<'tap-too-late'>[] = [];
    for (const own of channelSettings.values()) {
      for (const settings of own.values()) {
        const node = nodeOf(signal, settings);
        if (settings.asksTap === null || node === NOBODY) continue;
        const to = channelAt(signal, node);
        if (to.terminal.direction === 'in') continue;
        for (const { source, fed } of edgesBehind(signal, node)) {
          const from = channelAt(signal, source);
          const at = channelAt(signal, fed);
          const taken = tapBetween(plan, from, at);
          if (taken === null || TAPS.indexOf(taken) <= TAPS.indexOf(settings.asksTap)) continue;
          const via = fed === node ? '' : `|${textOfEnd(at)}`;
          findings.push({
            id: `tap|${textOfEnd(to)}|${textOfEnd(from)}${via}`,
            severity: 'caution',
            deviceIds: [to.deviceId],
            about: 'tap-too-late',
            asking: endOf(to),
            fed: endOf(at),
            from: endOf(from),
            asked: settings.asksTap,
            taken,
          });
        }
      }
    }
    return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
  },
});

export const socketRule = rule({
  finds: ['socket-used-twice'],
  reads: ['audioCables', 'pluggedIn'],
  find: ({ audioCables, pluggedIn }) => {
    const bySocket = cablesBySocket(audioCables);
    return [...bySocket]
      .flatMap(([key, cables]): FindingAbout<'socket-used-twice'>[] => {
        const [deviceId = '', terminalId = '', channel = ''] = key.split('|');
        const plugged = pluggedIn.get(deviceId)?.get(`${terminalId}/${channel}`)?.name ?? null;
        if (cables.length === 1 && plugged === null) return [];
        return [
          {
            id: `socket|${key}`,
            severity: 'refusal',
            deviceIds: [deviceId],
            about: 'socket-used-twice',
            terminalId,
            channel: Number(channel),
            cableIds: cables.map((c) => c.id),
            plugged,
          },
        ];
      })
      .sort((a, b) => (a.id < b.id ? -1 : 1));
  },
});

/** The tables that hops follow from, beside devices and models. */
const HOP_TABLES = [
  'pluggedIn',
  'channelSettings',
  'busSends',
  'audioCables',
  'patches',
  'clocks',
  'clockGroups',
] as const;

export const payloadRule = rule({
  finds: ['payload-broken', 'payload-half'],
  reads: ['signal', 'lanesByReceiver', 'gear', 'models', ...HOP_TABLES],
  find: ({ signal, lanesByReceiver, gear, models, ...tables }) => {
    const laneOf = (id: string, channel: number) => lanesByReceiver.get(id)?.get(channel);
    const { pluggedIn } = tables;
    const signals = { graph: signal, plan: { ...tables, devices: gear, models }, laneOf };
    const findings: FindingAbout<'payload-broken' | 'payload-half'>[] = [];
    for (const own of pluggedIn.values()) {
      for (const plugged of own.values()) {
        if (plugged.payload !== 'data-reduced' || !isSource(plugged.kind)) continue;
        const { breaks, halves } = bitWays(signals, plugged);
        for (const at of halves) {
          findings.push({
            id: `half|${textOfEnd(plugged)}|${textOfEnd(at)}`,
            severity: 'caution',
            deviceIds: [...new Set([at.deviceId, plugged.deviceId])],
            about: 'payload-half',
            source: endOf(plugged),
            at,
          });
        }
        for (const { at, because } of breaks) {
          findings.push({
            id: `payload|${textOfEnd(plugged)}|${textOfEnd(at)}`,
            severity: 'refusal',
            deviceIds: [...new Set([at.deviceId, plugged.deviceId])],
            about: 'payload-broken',
            source: endOf(plugged),
            at,
            because,
          });
        }
      }
    }
    return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
  },
});

/** A sample at 48 kHz: nearer than that nobody hears them apart. */
const TOGETHER_NS = 20_833;

export const coherenceRule = rule({
  finds: ['coherence-apart'],
  reads: ['coherenceGroups', 'signal', 'lanesByReceiver', 'gear', 'models'],
  find: ({ coherenceGroups, gear, ...facts }) =>
    [...coherenceGroups.values()]
      .flatMap((group): FindingAbout<'coherence-apart'>[] => {
        const { members, sharedNs, spreadNs } = groupDelay({ ...facts, devices: gear }, group);
        if (spreadNs < TOGETHER_NS) return [];
        const offsets = members.flatMap((m) => m.offsetNs ?? []);
        return [
          {
            id: `together|${group.id}`,
            severity: 'caution',
            deviceIds: [...new Set(group.members.map((m) => m.deviceId))],
            about: 'coherence-apart',
            groupId: group.id,
            spreadNs,
            offsetsNs: offsets.length === 0 ? null : [Math.min(...offsets), Math.max(...offsets)],
            sharedNs,
          },
        ];
      })
      .sort((a, b) => (a.id < b.id ? -1 : 1)),
});

/** What breaks or distorts is refused; what only sounds wrong is a caution. */
const REFUSED: ReadonlySet<string> = new Set([
  'phantom-into-output',
  'no-powering',
  'load-too-low',
  'analogue-into-digital',
  'loudspeaker-on-line',
]);

/** A sound that is sent to a bus with so much level that it is above full scale there by itself. */
export const busLevelRule = rule({
  finds: ['bus-clips'],
  reads: ['signal', 'pluggedIn', 'channelSettings', 'busSends', 'audioCables'],
  find: ({ signal, ...tables }) => {
    const findings: FindingAbout<'bus-clips'>[] = [];
    let most: ReturnType<typeof levelsOf> | null = null;
    for (const own of tables.busSends.values()) {
      for (const send of own.values()) {
        const { deviceId, terminalId, channel, levelDb } = send;
        // Whatever clips without it clips at its socket already.
        if (!send.isOn || levelDb === null || levelDb <= 0) continue;
        const from = { deviceId, terminalId: send.fromTerminalId, channel: send.fromChannel };
        const node = nodeOf(signal, from);
        if (node === NOBODY) continue;
        most ??= levelsOf(signal, tables, 'most');
        const mostDbfs = most(node).dbfs;
        if (mostDbfs === null || mostDbfs > 0 || mostDbfs + levelDb <= 0) continue;
        const misfit = { code: 'bus-clips', from, mostDbfs, sendDb: levelDb, overDb: mostDbfs + levelDb } as const;
        const id = `bus-clips|${textOfEnd(send)}|${textOfEnd(from)}`;
        const base = { id, severity: 'caution', deviceIds: [deviceId] } as const;
        findings.push({ ...base, about: 'bus-clips', terminalId, channel, misfit });
      }
    }
    return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
  },
});

export const analogueRule = rule({
  finds: ['analogue-end'],
  // No lane is read: an edit of lanes leaves this as it is.
  reads: ['modelled', 'pluggedIn', 'audioCables', 'channelSettings', 'busSends'],
  find: ({ modelled, ...tables }) => {
    const plan = { ...modelled, ...tables };
    const findings: FindingAbout<'analogue-end'>[] = [];
    const look = (end: SignalEnd, plugged?: PluggedIn) => {
      for (const misfit of channelMisfits(plan, end, plugged)) {
        const { deviceId, terminalId, channel } = end;
        findings.push({
          id: `analogue|${textOfEnd(end)}|${misfit.code}`,
          severity: REFUSED.has(misfit.code) ? 'refusal' : 'caution',
          deviceIds: [deviceId],
          about: 'analogue-end',
          terminalId,
          channel,
          misfit,
        });
      }
    };
    for (const own of plan.pluggedIn.values()) for (const plugged of own.values()) look(plugged, plugged);
    const cabled = new Map<string, SignalEnd>();
    for (const { to, channels } of plan.audioCables.values()) {
      for (let n = 0; n < channels; n += 1) {
        const end = { ...to, channel: to.channel + n };
        if (pluggedAt(plan, end) === undefined) cabled.set(textOfEnd(end), end);
      }
    }
    for (const end of cabled.values()) look(end);
    return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
  },
});
