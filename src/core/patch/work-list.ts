import { modelOf, type PlanOf } from '../plan/plan';
import type { AudioCable } from '../signal/audio-cables-table';
import type { ChannelSettings } from '../signal/channel-settings-table';
import type { PluggedIn } from '../signal/plugged-in-table';
import { terminalsOf, type Terminal } from '../signal/terminals';
import type { BusSend } from './bus-sends-table';
import type { Patch } from './patches-table';
import type { Tick } from './ticks-table';

/** What somebody has to do at a device with their hands: plug in, cable, set, patch what the device is not told over the network. */

type WorkDone =
  | { readonly is: 'open' }
  /** Ticked off when the plan wanted something else. */
  | { readonly is: 'changed'; readonly tick: Tick }
  | { readonly is: 'done'; readonly tick: Tick };

export type WorkItem = {
  /** Names it among those of its device. */
  readonly key: string;
  readonly deviceId: string;
  /** What is to be done, in its shortest form. */
  readonly as: string;
  readonly done: WorkDone;
} & (
  | { readonly kind: 'plug'; readonly plugged: PluggedIn }
  | { readonly kind: 'cable'; readonly cable: AudioCable }
  | { readonly kind: 'setting'; readonly settings: ChannelSettings }
  | { readonly kind: 'patch'; readonly patch: Patch }
  /** All sends of one strip. */
  | { readonly kind: 'sends'; readonly sends: readonly BusSend[] }
);

type WorkTables = PlanOf<
  'devices' | 'models' | 'pluggedIn' | 'audioCables' | 'channelSettings' | 'patches' | 'busSends' | 'ticks'
>;

const text = (facts: readonly unknown[]): string => JSON.stringify(facts).slice(0, 4000);

/** What of a channel is set at the device itself: a label or a measured distance is not. */
const handSettings = (s: ChannelSettings) => [s.format, s.gainDb, s.hasPad, s.hasPhantom, s.outputDelayNs];

/**
 * The list of one device, in the order in which it is worked through: what is plugged in, cables (at the device whose output they begin
 * at), settings, the patch, sends.
 * @param isPatchSent whether the patch of a terminal is sent to the device over the network
 */
export function workList(
  plan: WorkTables,
  deviceId: string,
  isPatchSent: (terminalId: string) => boolean,
): readonly WorkItem[] {
  const model = modelOf(plan, deviceId);
  if (model === undefined) return [];
  const terminals = terminalsOf(model);
  const ticks = plan.ticks.get(deviceId);
  const made = <K extends object>(key: string, facts: readonly unknown[], of: K) => {
    const as = text(facts);
    const tick = ticks?.get(key);
    const done: WorkDone = tick === undefined ? { is: 'open' } : { is: tick.as === as ? 'done' : 'changed', tick };
    return { key, deviceId, as, done, ...of };
  };
  const inOrder = <R extends { readonly terminalId: string; readonly channel: number }>(
    records: ReadonlyMap<string, R> | undefined,
  ): R[] => {
    const place = (r: R) => terminals.findIndex((t: Terminal) => t.id === r.terminalId);
    return [...(records?.values() ?? [])].sort((a, b) => place(a) - place(b) || a.channel - b.channel);
  };
  const items: WorkItem[] = [];
  for (const p of inOrder(plan.pluggedIn.get(deviceId))) {
    const facts = [p.name, p.kind, p.plug, p.adapter, p.attenuationDb, p.cableGrade, p.metres];
    items.push(made(`plug/${p.terminalId}/${p.channel}`, facts, { kind: 'plug' as const, plugged: p }));
  }
  for (const cable of [...plan.audioCables.values()].filter((c) => c.from.deviceId === deviceId)) {
    const { id, from, to, channels, format, adapter, attenuationDb } = cable;
    const facts = [from.terminalId, from.channel, to.deviceId, to.terminalId, to.channel, channels, format, adapter];
    items.push(made(`cable/${id}`, [...facts, attenuationDb], { kind: 'cable' as const, cable }));
  }
  for (const s of inOrder(plan.channelSettings.get(deviceId))) {
    const facts = handSettings(s);
    if (facts.every((f) => f === null || f === false)) continue;
    items.push(made(`setting/${s.terminalId}/${s.channel}`, facts, { kind: 'setting' as const, settings: s }));
  }
  for (const patch of inOrder(plan.patches.get(deviceId))) {
    if (isPatchSent(patch.terminalId) && patch.tap === null) continue;
    const facts = [patch.from?.terminalId ?? null, patch.from?.channel ?? null, patch.tap];
    items.push(made(`patch/${patch.terminalId}/${patch.channel}`, facts, { kind: 'patch' as const, patch }));
  }
  const byStrip = new Map<string, BusSend[]>();
  const sends = [...(plan.busSends.get(deviceId)?.values() ?? [])];
  for (const send of sends.sort((x, y) => x.fromChannel - y.fromChannel || x.channel - y.channel)) {
    const key = `sends/${send.fromTerminalId}/${send.fromChannel}`;
    byStrip.set(key, [...(byStrip.get(key) ?? []), send]);
  }
  for (const [key, own] of byStrip) {
    const facts = own.map((s) => [s.terminalId, s.channel, s.tap, s.isOn, s.levelDb]);
    items.push(made(key, facts, { kind: 'sends' as const, sends: own }));
  }
  return items;
}
