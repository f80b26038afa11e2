import { planPatches, type PatchWork } from '../field/patch-work';
import { sendPatches, type PatchReport } from '../field/send-patches';
import type { PatchDifference } from '../core/patch/patch-in-field';
import { noteDone, openForChange } from './edit';
import { fieldToTell } from './field-to-tell';
import { logger } from './logger';
import type { Author, SendNews } from './messages';
import type { PlanSession } from './plan-session';
import { serverState } from './state';

/** What patching devices as planned would change, before anything is done. */
export interface PatchPreview {
  /** In the order in which they are sent to. */
  readonly devices: readonly {
    readonly deviceId: string;
    readonly changes: readonly PatchDifference[];
    /** So many channels are off while other devices change. */
    readonly off: number;
    /** Channels that should be off meanwhile, which the device does not let be. */
    readonly exposed: readonly PatchDifference[];
  }[];
  readonly left: PatchWork['left'];
}

function prepare(planId: string, deviceIds: readonly string[]) {
  const { session, follower, field } = fieldToTell(planId, deviceIds, (n) => `deviceIds[${n}]`);
  const reckoning = session.reckoning();
  const bindings = session.bindings(field);
  const work = planPatches(deviceIds, reckoning.plan, reckoning.signal, field.channelMaps, bindings);
  return { session, follower, reckoning, bindings, work };
}

export function previewPatches(planId: string, deviceIds: readonly string[]): PatchPreview {
  const { work } = prepare(planId, deviceIds);
  return {
    devices: work.groups.flat().map(({ deviceId, changes, off, exposed }) => ({
      ...{ deviceId, changes, exposed },
      off: Object.values(off).reduce((sum, entries) => sum + Object.keys(entries).length, 0),
    })),
    left: work.left,
  };
}

/** Devices are patched by now: a journal that cannot be written does not undo that. */
function noteOutcome(session: PlanSession, { devices }: PatchReport, author: Author): void {
  const isPatched = (d: PatchReport['devices'][number]) => d.done.includes('patch');
  const names = devices.filter(isPatched).map((d) => session.plan.devices.get(d.deviceId)?.name ?? d.deviceId);
  if (names.length === 0) return;
  try {
    const shown = names.length > 3 ? `${names.slice(0, 3).join(', ')} and ${names.length - 3} more` : names.join(', ');
    noteDone(session, `Patch sent to ${shown}`, author);
  } catch (error) {
    logger.error({ planId: session.id, err: error }, 'a patch that was sent could not be entered in the journal');
  }
}

/** Patches devices as the plan has them. `tell` is called as it goes on. With an id it can be stopped by `stopSending`. */
export function sendDevicePatches(
  planId: string,
  deviceIds: readonly string[],
  author: Author,
  {
    id = null,
    isRetry = false,
    tell = () => {},
  }: { id?: string | null; isRetry?: boolean; tell?: (news: SendNews<PatchReport>) => void } = {},
): Promise<PatchReport> {
  const { queue, stopped } = serverState().sending;
  openForChange(planId);
  if (id !== null) stopped.set(id, false);
  const makeReady = () => {
    const ready = prepare(planId, deviceIds);
    const nodeOf = (deviceId: string) => ready.bindings.nodeByDevice.get(deviceId)?.node.id ?? `${planId} ${deviceId}`;
    return { work: ready, devices: deviceIds.map(nodeOf) };
  };
  const waiting = () => tell({ kind: 'waiting' });
  const run = queue.run(makeReady, waiting, async ({ session, follower, reckoning, bindings }) => {
    for (const deviceId of isRetry ? deviceIds : []) {
      for (const { id: own } of bindings.nodeByDevice.get(deviceId)?.devices ?? []) follower.wake(own);
    }
    tell({ kind: 'begun', deviceIds });
    serverState().runs.claim(session.id, deviceIds, bindings);
    const report = await sendPatches(deviceIds, reckoning, follower, bindings, {
      tell: (progress) => tell({ kind: 'progress', ...progress }),
      isStopped: () => id !== null && stopped.get(id) === true,
    });
    noteOutcome(session, report, author);
    session.fieldChanged();
    return report;
  });
  const forget = () => {
    if (id !== null) stopped.delete(id);
  };
  run.then(forget, forget);
  return run;
}
