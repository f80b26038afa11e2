import type { PlanOf } from '../plan/plan';
import { labelOf } from '../plan/plan';
import { channelAt, nodeOf, onlyFeederOf, type SignalGraph } from './graph';
import { pluggedAt, settingsAt } from './levels';
import { isSource } from './plugged-in-table';
import type { SignalEnd } from './signal-end';
import { NETWORK_IN, NETWORK_OUT, SLOTS_IN, SLOTS_OUT } from './terminals';
import { along } from './walk';

export type NameTables = PlanOf<'labels' | 'channelSettings' | 'pluggedIn'>;

const SIDE_OF_TERMINAL: Readonly<Record<string, 'receive' | 'send'>> = {
  [NETWORK_IN]: 'receive',
  [SLOTS_IN]: 'receive',
  [NETWORK_OUT]: 'send',
  [SLOTS_OUT]: 'send',
};

/** Which of the two lists of labels a terminal's channels are in; null: their labels are among the channel settings. */
export const labelSide = (terminalId: string): 'receive' | 'send' | null => SIDE_OF_TERMINAL[terminalId] ?? null;

/** What a channel itself is called: its label, or what is plugged into it. Null: nothing. */
export function ownName(tables: NameTables, end: SignalEnd): string | null {
  const side = labelSide(end.terminalId);
  const label = side === null ? settingsAt(tables, end)?.label : labelOf(tables, end.deviceId, side, end.channel);
  return label ?? pluggedAt(tables, end)?.name ?? null;
}

/**
 * One name for a sound all the way: what the first channel behind it that has a name is called, so that a socket of a stage box is seen
 * from the console that receives it as what is plugged in there. Null: nothing on its way has a name.
 */
export function soundName(graph: SignalGraph, tables: NameTables, end: SignalEnd): string | null {
  const sink = pluggedAt(tables, end);
  let name = ownName(tables, end);
  // A loudspeaker goes by its own name, whatever sounds from it.
  if (sink !== undefined && !isSource(sink.kind)) return name;
  // What a refused lane would bring gives its name all the same: it is what the channel is for.
  const back = (node: number) => graph.refused.get(node) ?? onlyFeederOf(graph, node);
  for (const node of along(nodeOf(graph, end), back)) name = ownName(tables, channelAt(graph, node)) ?? name;
  return name;
}
