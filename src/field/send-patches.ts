import type { Reckoning } from '../core/reckon/reckoning';
import { activateMap, readChannelMap, type MapAction } from './device-reader';
import type { Bindings } from './binding';
import type { FieldFollower } from './follower';
import { planPatches, type PatchDeviceWork, type PatchWork } from './patch-work';
import type { SendStep } from './send-report';
import { inTurns } from './in-turns';
import { answeringOf, NO_HOOKS, Report, type DeviceReport, type SendHooks } from './send-report';

export interface PatchReport {
  readonly devices: readonly DeviceReport[];
  readonly left: PatchWork['left'];
  /** Devices that were not begun with because the send was stopped. */
  readonly notBegun: readonly string[];
}

const isEmpty = (action: MapAction) => Object.keys(action).length === 0;

/** The entries of an action that are in none, or in all, of those of another. */
function entriesOf(action: MapAction, of: MapAction, isIn: boolean): MapAction {
  const found: MapAction = {};
  for (const [outputId, entries] of Object.entries(action)) {
    for (const [index, entry] of Object.entries(entries)) {
      if ((of[outputId]?.[index] !== undefined) === isIn) (found[outputId] ??= {})[index] = entry;
    }
  }
  return found;
}

/**
 * Patches devices as planned, from what they do now: their channel maps are read first. Each device changes in one step, so that nothing wrong
 * is received within it. Of devices that receive one another's changes, channels that would carry a wrong sound meanwhile are taken off
 * first and fed last; the others change from whoever feeds to whom it feeds. Where one of them fails, all of its group are put back to what they were;
 * where one cannot even be read, none of its group is begun with.
 */
export async function sendPatches(
  deviceIds: readonly string[],
  { plan, signal }: Pick<Reckoning, 'plan' | 'signal'>,
  follower: FieldFollower,
  bindings: Bindings,
  hooks: SendHooks = NO_HOOKS,
): Promise<PatchReport> {
  const report = new Report(hooks.tell, answeringOf(follower, bindings));
  const notBegun = new Set<string>();
  const maps = new Map(follower.snapshot().channelMaps);
  const unread = new Set<string>();
  await inTurns(deviceIds, async (deviceId) => {
    const device = bindings.nodeByDevice.get(deviceId)?.device;
    const href = device?.channelMapHref ?? null;
    if (device == null || href === null || !maps.has(device.id)) return;
    if (hooks.isStopped()) return void notBegun.add(deviceId);
    const isRead = await report.step(deviceId, 'patch-read', null, async () => {
      maps.set(device.id, await readChannelMap(href));
    });
    if (!isRead) unread.add(deviceId);
  });
  const work = planPatches(deviceIds, plan, signal, maps, bindings);
  const tell = (deviceId: string, mapHref: string, step: SendStep, action: MapAction) =>
    report.step(deviceId, step, null, () => activateMap(mapHref, action));
  const sendGroup = async (group: readonly PatchDeviceWork[]): Promise<void> => {
    // What is not known as it is now could reach the others wrong.
    const isHeldUp = group.some(({ deviceId }) => unread.has(deviceId) || notBegun.has(deviceId));
    if (isHeldUp || hooks.isStopped()) {
      for (const { deviceId } of group) if (!unread.has(deviceId)) notBegun.add(deviceId);
      return;
    }
    /** What was sent, or may have been, in the order in which it was. */
    const told: { readonly device: PatchDeviceWork; readonly action: MapAction }[] = [];
    const all = async (step: SendStep, actionOf: (device: PatchDeviceWork) => MapAction): Promise<boolean> => {
      for (const device of group) {
        const action = actionOf(device);
        if (isEmpty(action)) continue;
        told.push({ device, action });
        if (!(await tell(device.deviceId, device.mapHref, step, action))) return false;
      }
      return true;
    };
    const isDone =
      (await all('patch-off', (d) => d.off)) &&
      (await all('patch', (d) => entriesOf(d.action, d.off, false))) &&
      (await all('patch', (d) => entriesOf(d.action, d.off, true)));
    if (isDone) return;
    for (const deviceId of new Set([...told].reverse().map((t) => t.device.deviceId))) {
      const { device } = told.find((t) => t.device.deviceId === deviceId) as (typeof told)[number];
      const own = told.filter((t) => t.device.deviceId === deviceId).map((t) => t.action);
      const back = entriesOf(device.before, own.reduce(merged, {}), true);
      if (!report.isSilent(deviceId)) await tell(deviceId, device.mapHref, 'patch-restore', back);
    }
  };
  await inTurns(work.groups, sendGroup);
  for (const deviceId of work.groups.flat().map((d) => d.deviceId)) {
    const id = bindings.nodeByDevice.get(deviceId)?.device?.id;
    if (id !== undefined) follower.readDeviceAgain(id);
  }
  return { devices: report.devices(), left: work.left, notBegun: [...notBegun] };
}

function merged(a: MapAction, b: MapAction): MapAction {
  const outputs = new Set([...Object.keys(a), ...Object.keys(b)]);
  return Object.fromEntries([...outputs].map((id) => [id, { ...a[id], ...b[id] }]));
}
