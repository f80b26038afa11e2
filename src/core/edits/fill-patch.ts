import type { Command } from '../plan/commands';
import type { PlanOf } from '../plan/plan';
import { blockOf } from '../patch/blocks';
import { terminalAt, type SignalEnd } from '../signal/signal-end';
import type { Tap } from '../signal/terminal-shape';
import type { Terminal } from '../signal/terminals';
import { filledChannels, type Fill } from './fill';

export type PatchTables = PlanOf<'devices' | 'models' | 'patches' | 'busSends'>;

/** Why a channel of a device is left as it is. */
export type PatchLeftWhy =
  | 'no-channel-left'
  /** Its terminal is not fed from there. */
  | 'not-patched-from-there'
  /** It is patched in blocks, and no whole block is left. */
  | 'no-block-left';
export interface PatchLeft {
  readonly end: SignalEnd;
  readonly why: PatchLeftWhy;
}
export interface PatchFill {
  readonly commands: readonly Command[];
  readonly leftOut: readonly PatchLeft[];
  /** Channels that were not chosen, and are patched along because their block is patched as one. */
  readonly along: readonly SignalEnd[];
}

/**
 * Feeds channels of one device, in the order given, from a channel of the same device on. A bus gets a send more from each; anything else is
 * fed from there alone. What is patched in blocks without exceptions is fed in whole blocks, in step from whole blocks. What is as the
 * model has it anyway needs no record.
 */
export function fillPatch(
  plan: PatchTables,
  fed: readonly SignalEnd[],
  from: Omit<SignalEnd, 'deviceId'>,
  fill: Fill,
  tap: Tap | null,
): PatchFill {
  const commands: Command[] = [];
  const leftOut: PatchLeft[] = [];
  const along: SignalEnd[] = [];
  const places = placesOf(plan, fed, from.terminalId, leftOut);
  const source = fed[0] && terminalAt(plan, { deviceId: fed[0].deviceId, terminalId: from.terminalId });
  if (source === undefined) return { commands, leftOut, along };
  const isChosen = new Set(fed.map((end) => `${end.terminalId}/${end.channel}`));
  const blockSize = Math.max(1, ...places.map((p) => p.ends.length));
  const blocks = places.some((p) => p.isBlock);
  const first = blocks ? Math.floor((from.channel - 1) / blockSize) : from.channel - 1;
  const count = blocks ? Math.floor(source.channels / blockSize) : source.channels;
  const channels = filledChannels(first + 1, places.length, count, fill);
  places.forEach(({ ends, terminal }, n) => {
    const at = channels[n] ?? null;
    if (at === null) {
      leftOut.push(...ends.map((end) => ({ end, why: blocks ? 'no-block-left' : 'no-channel-left' }) as const));
      return;
    }
    ends.forEach((end, k) => {
      const channel = blocks ? (at - 1) * blockSize + k + 1 : at;
      if (!isChosen.has(`${end.terminalId}/${end.channel}`)) along.push(end);
      commands.push(...feedCommand(plan, terminal, end, { terminalId: from.terminalId, channel }, tap));
    });
  });
  return { commands, leftOut, along };
}

interface Place {
  readonly terminal: Terminal;
  /** One channel, or all of a block. */
  readonly ends: readonly SignalEnd[];
  readonly isBlock: boolean;
}

/** What is fed, channel by channel or block by block. */
function placesOf(plan: PatchTables, fed: readonly SignalEnd[], fromId: string, leftOut: PatchLeft[]): Place[] {
  const places: Place[] = [];
  const blocks = new Set<string>();
  for (const end of fed) {
    const terminal = terminalAt(plan, end);
    if (terminal === undefined || !(terminal.patchFrom.includes(fromId) || terminal.sendsFrom.includes(fromId))) {
      leftOut.push({ end, why: 'not-patched-from-there' });
      continue;
    }
    if (terminal.blockSize === 1 || terminal.hasExceptions) {
      places.push({ terminal, ends: [end], isBlock: false });
      continue;
    }
    const { channels } = blockOf(terminal, end.channel);
    const key = `${end.terminalId}/${channels[0]}`;
    if (blocks.has(key)) continue;
    blocks.add(key);
    places.push({ terminal, ends: channels.map((channel) => ({ ...end, channel })), isBlock: true });
  }
  return places;
}

function feedCommand(
  plan: PatchTables,
  terminal: Terminal,
  end: SignalEnd,
  from: { readonly terminalId: string; readonly channel: number },
  tap: Tap | null,
): Command[] {
  const { deviceId, terminalId, channel } = end;
  const source = terminalAt(plan, { deviceId, terminalId: from.terminalId });
  const taken = tap !== null && source?.taps.includes(tap) === true ? tap : null;
  if (terminal.sendsFrom.includes(from.terminalId)) {
    const known = plan.busSends.get(deviceId)?.get(`${terminalId}/${channel}/${from.terminalId}/${from.channel}`);
    const ends = { deviceId, terminalId, channel, fromTerminalId: from.terminalId, fromChannel: from.channel };
    const send = {
      ...ends,
      tap: tap === null ? (known?.tap ?? null) : taken,
      isOn: true,
      levelDb: known?.levelDb ?? null,
    };
    return [{ kind: 'put-bus-send', send }];
  }
  const isNormal =
    terminal.normalledTo === from.terminalId && channel === from.channel && channel <= terminal.normalledChannels;
  if (isNormal && taken === null) {
    const isPatched = plan.patches.get(deviceId)?.has(`${terminalId}/${channel}`) === true;
    return isPatched ? [{ kind: 'remove-patch', deviceId, terminalId, channel }] : [];
  }
  return [{ kind: 'put-patch', patch: { deviceId, terminalId, channel, from, tap: taken } }];
}

/** What feeds these channels taken away: they are fed by nothing, and buses mix nothing. */
export function clearPatch(plan: PatchTables, fed: readonly SignalEnd[]): Command[] {
  return fed.flatMap((end): Command[] => {
    const { deviceId, terminalId, channel } = end;
    const terminal = terminalAt(plan, end);
    if (terminal === undefined) return [];
    const own = `${terminalId}/${channel}/`;
    const sends = [...(plan.busSends.get(deviceId)?.entries() ?? [])].filter(([key]) => key.startsWith(own));
    const commands = sends.map(([, { fromTerminalId, fromChannel }]): Command => ({
      kind: 'remove-bus-send',
      deviceId,
      terminalId,
      channel,
      fromTerminalId,
      fromChannel,
    }));
    if (terminal.patchFrom.length === 0) return commands;
    const patch = plan.patches.get(deviceId)?.get(`${terminalId}/${channel}`);
    const isNormalled = channel <= terminal.normalledChannels;
    if (patch === undefined ? !isNormalled : patch.from === null) return commands;
    return [...commands, { kind: 'put-patch', patch: { deviceId, terminalId, channel, from: null, tap: null } }];
  });
}

/** These channels fed as the model has them when nothing is patched. */
export function patchAsNormalled(plan: PatchTables, fed: readonly SignalEnd[]): Command[] {
  return fed.flatMap(({ deviceId, terminalId, channel }): Command[] =>
    plan.patches.get(deviceId)?.has(`${terminalId}/${channel}`) === true
      ? [{ kind: 'remove-patch', deviceId, terminalId, channel }]
      : [],
  );
}
