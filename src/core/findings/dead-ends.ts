import { nodeIn, NOBODY, type DevicePart } from '../signal/device-part';
import type { DeviceFlow } from '../signal/device-flow';
import type { PluggedIn } from '../signal/plugged-in-table';
import type { Finding } from './finding';
import { rule, waysOf } from './rule';
import { SIGNAL_WAYS } from './signal-fixes';

interface DeadEnds {
  readonly part: DevicePart;
  readonly plugged: ReadonlyMap<string, PluggedIn> | undefined;
  readonly findings: readonly Finding[];
}

const deadEndsByFlow = new WeakMap<DeviceFlow, DeadEnds>();

function channelsWhere(count: number, is: (channel: number) => boolean): readonly number[] {
  const channels: number[] = [];
  for (let c = 1; c <= count; c += 1) if (is(c)) channels.push(c);
  return channels;
}

/** Outputs of a device with a planned inside that a sink would hear and no source reaches; sources that no sink hears. */
function deadEndsOf(part: DevicePart, plugged: DeadEnds['plugged'], flow: DeviceFlow): readonly Finding[] {
  const known = deadEndsByFlow.get(flow);
  if (known?.part === part && known.plugged === plugged) return known.findings;
  const findings: Finding[] = [];
  const { deviceId } = part;
  const find = (about: 'fed-by-nothing' | 'heard-by-nobody', terminalId: string, channels: readonly number[]) => {
    if (channels.length === 0) return;
    const severity = about === 'fed-by-nothing' ? 'caution' : 'note';
    const id = `${about}|${deviceId}|${terminalId}`;
    findings.push({ id, severity, area: 'patch', deviceIds: [deviceId], about, terminalId, channels });
  };
  const unheardAt = new Map<string, number[]>();
  for (const { terminalId, channel } of plugged?.values() ?? []) {
    const node = nodeIn(part, terminalId, channel);
    if (node === NOBODY || flow.isHeard[node] === 1) continue;
    const channels = unheardAt.get(terminalId);
    if (channels === undefined) unheardAt.set(terminalId, [channel]);
    else channels.push(channel);
  }
  for (const [n, t] of part.terminals.entries()) {
    const first = part.firstNode[n] as number;
    // Programs may record silence; where a sound of the plan should come, its sender tells.
    if (t.direction === 'out' && t.kind !== 'computer' && part.isPlanned) {
      const isSilent = (c: number) => flow.isHeard[first + c - 1] === 1 && flow.isFed[first + c - 1] === 0;
      find('fed-by-nothing', t.id, channelsWhere(t.channels, isSilent));
    }
    const unheard = t.direction === 'in' ? unheardAt.get(t.id) : undefined;
    if (unheard !== undefined)
      find(
        'heard-by-nobody',
        t.id,
        unheard.sort((a, b) => a - b),
      );
  }
  deadEndsByFlow.set(flow, { part, plugged, findings });
  return findings;
}

export const deadEndRule = rule({
  finds: waysOf(SIGNAL_WAYS, 'fed-by-nothing', 'heard-by-nobody'),
  reads: ['signalParts', 'signalFlow', 'pluggedIn'],
  find: ({ signalParts, signalFlow, pluggedIn }) => {
    const findings: Finding[] = [];
    for (const [id, part] of signalParts) {
      const plugged = pluggedIn.get(id);
      const flow = part.isPlanned || plugged !== undefined ? signalFlow.byDevice.get(id) : undefined;
      if (flow !== undefined) findings.push(...deadEndsOf(part, plugged, flow));
    }
    return findings.sort((a, b) => (a.id < b.id ? -1 : 1));
  },
});
