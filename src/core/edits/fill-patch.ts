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
 * fed from there alone. What is patched in blocks without exceptions is fed in whole blocks, in step from whole blocks. Each terminal begins at that
 * channel. What is as the model has it anyway needs no record.
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
  const source = fed[0] && terminalAt(plan, { deviceId: fed[0].deviceId, terminalId: from.terminalId });
  if (source === undefined) return { commands, leftOut, along };
  const isChosen = new Set(fed.map((end) => `${end.terminalId}/${end.channel}`));
  for (const terminalId of new Set(fed.map((end) => end.terminalId))) {
    const ends = fed.filter((end) => end.terminalId === terminalId);
    const terminal = ends[0] && terminalAt(plan, ends[0]);
    if (!terminal || !(terminal.patchFrom.includes(source.id) || terminal.sendsFrom.includes(source.id))) {
      leftOut.push(...ends.map((end) => ({ end, why: 'not-patched-from-there' }) as const));
      continue;
    }
    const size = terminal.hasExceptions ? 1 : terminal.blockSize;
    const blocks = blocksOf(terminal, size, ends);
    // Counted in blocks of the source, from the one that the chosen channel is in.
    const channels = filledChannels(
      blockNumber(from.channel, size),
      blocks.length,
      Math.ceil(source.channels / size),
      fill,
    );
    blocks.forEach((block, n) => {
      const first = ((channels[n] ?? 0) - 1) * size + 1;
      if (first < 1 || first + block.length - 1 > source.channels) {
        const why = size > 1 ? 'no-block-left' : 'no-channel-left';
        leftOut.push(...block.map((end) => ({ end, why }) as const));
        return;
      }
      block.forEach((end, k) => {
        if (!isChosen.has(`${end.terminalId}/${end.channel}`)) along.push(end);
        commands.push(...feedCommand(plan, terminal, end, { terminalId: source.id, channel: first + k }, tap));
      });
    });
  }
  return { commands, leftOut, along };
}

/** Which block a channel is in, counted from 1. */
const blockNumber = (channel: number, size: number) => Math.floor((channel - 1) / size) + 1;

/** The chosen channels of a terminal, each alone or in its whole block; each block once. */
function blocksOf(
  terminal: Terminal,
  blockSize: number,
  ends: readonly SignalEnd[],
): readonly (readonly SignalEnd[])[] {
  return [...new Map(ends.map((end) => [blockNumber(end.channel, blockSize), end])).values()].map((end) =>
    blockOf({ ...terminal, blockSize }, end.channel).channels.map((channel) => ({ ...end, channel })),
  );
}

/** One channel fed from another of its device: without a record where the model has it so. */
export function feedCommand(
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
