import type { FieldProblem } from '../plan/table';
import type { SlotAbility } from '../slots/slot-ability';
import { PLAIN_TERMINAL, type StatedTerminal } from './terminal-shape';
import { onceFor } from '../plan/once-for';

/** A terminal of a device, stated by its model or following from the model's other figures. */
export interface Terminal extends StatedTerminal {
  /** How many of its channels, from the first on, are fed from `normalledTo`. */
  readonly normalledChannels: number;
}

export const NETWORK_IN = 'network-in';
export const NETWORK_OUT = 'network-out';
export const SLOTS_IN = 'slots-in';
export const SLOTS_OUT = 'slots-out';

/** What a model says of the inside of a device. */
export interface Insides {
  readonly terminals: readonly StatedTerminal[];
  readonly channelsReceive: number;
  readonly channelsSend: number;
  readonly receiveMap: { readonly blockSize: number } | null;
  readonly sendMap: { readonly blockSize: number } | null;
  readonly passesThrough: number;
  readonly slots: Pick<SlotAbility, 'blockSize' | 'talkBlocks' | 'hearBlocks'> | null;
}

/**
 * All terminals of a model, those of the network first. A processing unit that everything passes through gives its network channels out
 * under the number under which they came in: its network output is normalled to its network input.
 */
export const terminalsOf = onceFor((model: Insides): readonly Terminal[] => {
  const implied: StatedTerminal[] = [];
  const add = (id: string, name: string, kind: 'network' | 'slots', direction: 'in' | 'out', channels: number) => {
    if (channels > 0) implied.push({ ...PLAIN_TERMINAL, id, name, kind, direction, channels });
  };
  add(NETWORK_IN, 'Network in', 'network', 'in', model.channelsReceive);
  add(NETWORK_OUT, 'Network out', 'network', 'out', model.channelsSend);
  const { blockSize = 0, talkBlocks = 0, hearBlocks = 0 } = model.slots ?? {};
  add(SLOTS_IN, 'Slots in', 'slots', 'in', blockSize * hearBlocks);
  add(SLOTS_OUT, 'Slots out', 'slots', 'out', blockSize * talkBlocks);
  const stated = new Map(model.terminals.map((t) => [t.id, t]));
  const all = [
    ...implied.map((t) => ({ ...(stated.get(t.id) ?? t), kind: t.kind, direction: t.direction, channels: t.channels })),
    ...model.terminals.filter((t) => !IMPLIED.has(t.id)),
  ];
  return all.map((t): Terminal => {
    const passes = t.id === NETWORK_OUT && t.normalledTo === null && model.passesThrough > 0;
    const normalledTo = passes && all.some((other) => other.id === NETWORK_IN) ? NETWORK_IN : t.normalledTo;
    const count = all.find((other) => other.id === normalledTo)?.channels ?? 0;
    const most = passes ? model.passesThrough : t.channels;
    return { ...t, normalledTo, normalledChannels: Math.min(count, t.channels, most) };
  });
});

/** These follow from the model's other figures; stated, they say how the channels are patched. */
const IMPLIED: ReadonlySet<string> = new Set([NETWORK_IN, NETWORK_OUT, SLOTS_IN, SLOTS_OUT]);

export function terminalOf(model: Insides | undefined, terminalId: string): Terminal | undefined {
  return model && terminalsOf(model).find((t) => t.id === terminalId);
}

/** Whether the model says anything of how its inputs are led to its outputs. */
export function isInsideKnown(model: Insides): boolean {
  return model.terminals.length > 0;
}

/**
 * What is wrong with the terminals of a model: two of one name, one that refers to none, one that is fed where it cannot be, or a ring
 * in which each is normalled to the next.
 */
export function terminalProblem(model: Insides): FieldProblem | null {
  const all = new Map(terminalsOf(model).map((t) => [t.id, t]));
  const ids = new Set<string>();
  for (const [n, t] of model.terminals.entries()) {
    const at = (field: string) => `terminals[${n}].${field}`;
    if (ids.has(t.id)) return { reason: 'in-use', path: at('id'), value: t.id };
    ids.add(t.id);
    const isImplied = IMPLIED.has(t.id);
    if (isImplied !== (t.kind === 'network' || t.kind === 'slots')) {
      const limit = isImplied
        ? t.id.replace(/-.*/, '')
        : 'connector, link, computer, radio, strip, bus, direct or monitor';
      return { reason: 'out-of-range', path: at('kind'), value: t.kind, limit };
    }
    const named = [
      ...(t.normalledTo === null ? [] : [['normalledTo', t.normalledTo] as const]),
      ...t.patchFrom.map((id, k) => [`patchFrom[${k}]`, id] as const),
      ...t.sendsFrom.map((id, k) => [`sendsFrom[${k}]`, id] as const),
      ...(t.mixes === null ? [] : [['mixes', t.mixes] as const]),
    ];
    for (const [field, id] of named) {
      const from = all.get(id);
      if (t.direction === 'in')
        return { reason: 'out-of-range', path: at(field), value: id, limit: 'outputs and insides' };
      // A model may lose its network or slots: what was led from there is fed by nothing then.
      if (from === undefined && !IMPLIED.has(id)) return { reason: 'unknown', path: at(field), value: id };
      if (from?.direction === 'out')
        return { reason: 'out-of-range', path: at(field), value: id, limit: 'inputs and insides' };
    }
    for (const field of ['sendsFrom', 'mixes'] as const) {
      const isSet = field === 'mixes' ? t.mixes !== null : t.sendsFrom.length > 0;
      if (isSet && t.kind !== 'bus') return { reason: 'out-of-range', path: at(field), value: t.kind, limit: 'bus' };
    }
    if (isRing(all, t.id))
      return { reason: 'out-of-range', path: at('normalledTo'), value: t.normalledTo ?? '', limit: 'no ring' };
  }
  return null;
}

function isRing(all: ReadonlyMap<string, Terminal>, from: string): boolean {
  let at = all.get(from)?.normalledTo ?? null;
  for (let hops = 0; at !== null && hops <= all.size; hops += 1) {
    if (at === from) return true;
    at = all.get(at)?.normalledTo ?? null;
  }
  return false;
}
