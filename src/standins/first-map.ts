import type { ActiveMap, MapInput, MapOutput } from './channel-mapping';
import type { StandinInside, StandinSpec } from './fleet';
import { hasChannelMap, type NodeIds } from './resources';

/** The inputs and outputs of a device's channel map (IS-08) by id, and what feeds each channel before anybody changes it. */
interface FirstMap {
  readonly inputs: ReadonlyMap<string, MapInput>;
  readonly outputs: ReadonlyMap<string, MapOutput>;
  readonly map: ActiveMap;
}

const DEVICE_INPUT = 'sends';
const DEVICE_OUTPUT = 'receives';
/** What IS-08 takes as an id is narrower than what a plan does. */
export const inputOf = (terminalId: string) => `from-${terminalId.replace(/[^A-Za-z0-9_-]/g, '_')}`;
export const outputOf = (terminalId: string) => `to-${terminalId.replace(/[^A-Za-z0-9_-]/g, '_')}`;

const names = (count: number, stem: string) => Array.from({ length: count }, (_, n) => `${stem} ${n + 1}`);

/** What a stand-in maps: its streams, its network channels, and its terminals where a channel map reaches them. */
export function firstMapOf(spec: StandinSpec, ids: NodeIds): FirstMap {
  const inputs = new Map<string, MapInput>();
  const outputs = new Map<string, MapOutput>();
  const map: ActiveMap = {};
  for (let n = 1; n <= spec.streamsSend; n += 1) {
    outputs.set(`stream-out-${n}`, {
      name: `Stream out ${n}`,
      description: '',
      sourceId: ids.source(n),
      channels: names(spec.channelsPerStream, 'Position'),
      routable: null,
    });
  }
  for (let n = 1; n <= spec.streamsReceive; n += 1) {
    inputs.set(`stream-in-${n}`, {
      name: `Stream in ${n}`,
      description: '',
      parent: { id: ids.receiver(n), type: 'receiver' },
      channels: names(spec.channelsPerStream, 'Position'),
      limits: spec.receiveMap ?? null,
    });
  }
  if (spec.channelsSend > 0) {
    inputs.set(DEVICE_INPUT, {
      name: 'Sends',
      description: '',
      parent: { id: null, type: null },
      channels: names(spec.channelsSend, 'Channel'),
      limits: spec.sendMap ?? null,
    });
  }
  if (spec.channelsReceive > 0) {
    const channels = names(spec.channelsReceive, 'Channel');
    const routable = spec.isAlwaysFed === true ? [...inputs.keys()] : null;
    outputs.set(DEVICE_OUTPUT, { name: 'Receives', description: '', sourceId: null, channels, routable });
  }
  const { inside = null } = spec;
  if (inside !== null && hasChannelMap(spec)) openInside(inside, inputs, outputs, map);
  for (const [id, { channels, routable }] of outputs) {
    if (id in map) continue;
    const input = spec.isAlwaysFed === true ? (routable?.[0] ?? null) : null;
    const entry = { input, channel_index: input === null ? null : 0 };
    map[id] = Object.fromEntries(channels.map((_, n) => [String(n), { ...entry }]));
  }
  if (!hasChannelMap(spec)) mapInOrder(spec, map);
  return { inputs, outputs, map };
}

/** Terminals in the channel map: streams reach none of them but by the network channels, which are fed and taken as before. */
function openInside(
  { feeding, fed }: StandinInside,
  inputs: Map<string, MapInput>,
  outputs: Map<string, MapOutput>,
  map: ActiveMap,
): void {
  const streams = [...inputs].filter(([, i]) => i.parent.type === 'receiver').map(([id]) => id);
  for (const [id, output] of [...outputs]) {
    const routable = id === DEVICE_OUTPUT ? [null, ...streams] : [null, DEVICE_INPUT];
    outputs.set(id, { ...output, routable: output.routable ?? routable });
  }
  const numbers = (count: number) => Array.from({ length: count }, (_, n) => String(n + 1));
  for (const { id, name, channels } of feeding) {
    // Blocks that nothing is excepted from are blocks of the input, as IS-08 has it.
    const taken = fed.filter((f) => f.from.includes(id));
    const isInBlocks = taken.every((f) => f.blockSize > 1 && !f.hasExceptions);
    const blockSize = isInBlocks ? Math.min(...taken.map((f) => f.blockSize)) : 1;
    inputs.set(inputOf(id), {
      name,
      description: '',
      parent: { id: null, type: null },
      channels: numbers(channels),
      limits: blockSize > 1 ? { blockSize, reordering: true } : null,
    });
  }
  for (const { id, name, from, blockSize, hasExceptions, starts } of fed) {
    outputs.set(outputOf(id), {
      name,
      description: '',
      sourceId: null,
      channels: numbers(starts.length),
      routable: [null, ...from.filter((f) => feeding.some((t) => t.id === f)).map(inputOf)],
      ...(hasExceptions ? {} : { blockSize }),
    });
    map[outputOf(id)] = Object.fromEntries(
      starts.map((start, n) => [
        String(n),
        {
          input: start === null ? null : inputOf(start.terminalId),
          channel_index: start === null ? null : start.channel - 1,
        },
      ]),
    );
  }
}

/** Without a channel map: what its streams carry and feed is so for good. */
function mapInOrder(spec: StandinSpec, map: ActiveMap): void {
  const put = (output: string, index: number, input: string, channel: number) => {
    const entries = map[output];
    if (entries !== undefined && String(index) in entries) entries[String(index)] = { input, channel_index: channel };
  };
  spec.sendOrder?.forEach(({ first, channels }, n) => {
    for (let k = 0; k < channels; k += 1) put(`stream-out-${n + 1}`, k, DEVICE_INPUT, first - 1 + k);
  });
  // Of two streams that feed one channel the first counts.
  [...(spec.receiveOrder ?? []).entries()].reverse().forEach(([n, { first, channels }]) => {
    for (let k = 0; k < channels; k += 1) put(DEVICE_OUTPUT, first - 1 + k, `stream-in-${n + 1}`, k);
  });
}
