import { planSend, type ChannelRef, type SendPlan } from '../field/send-plan';
import { send } from '../field/send';
import type { SendHooks, SendReport } from '../field/send-report';
import { applyBatch, openSession } from './edit';
import type { Author, SendNews } from './messages';
import { RequestProblem } from './problem';
import { serverState } from './state';

const SYSTEM_TITLE = 'Sent to the devices';

/** What the browser is told of a send before and after it. */
export interface SendPreview {
  readonly streams: readonly {
    readonly id: string;
    readonly senderDeviceId: string;
    readonly streamNumber: number;
    readonly channels: readonly number[];
    readonly receivers: readonly string[];
    readonly isNew: boolean;
  }[];
  readonly receivers: readonly {
    readonly deviceId: string;
    readonly feeds: number;
    readonly clears: number;
    readonly leaves: number;
  }[];
  readonly stops: readonly { readonly senderDeviceId: string; readonly streamNumber: number }[];
  readonly left: SendPlan['left'];
}

function prepare(planId: string, channels: readonly ChannelRef[]) {
  const session = openSession(planId);
  const { follower, announcements } = serverState();
  if (follower === null)
    throw new RequestProblem(409, 'no-field', 'No registry is set up, so there are no devices to send to.');
  const field = follower.snapshot();
  if (!field.isConnected) {
    throw new RequestProblem(
      502,
      'no-registry',
      `The registry does not answer: ${field.disconnectedBecause ?? 'unknown reason'}.`,
    );
  }
  for (const [index, { deviceId }] of channels.entries()) {
    if (!session.plan.devices.has(deviceId)) {
      throw new RequestProblem(
        404,
        'unknown',
        `channels[${index}].deviceId: there is no ${deviceId}.`,
        `channels[${index}].deviceId`,
      );
    }
  }
  const reckoning = session.reckoning();
  const bindings = session.bindings(field);
  const announced = announcements?.streams();
  const work = planSend(channels, reckoning, field, bindings, announced);
  return { session, follower, reckoning, bindings, announced, work };
}

export function previewSend(planId: string, channels: readonly ChannelRef[]): SendPreview {
  const { work } = prepare(planId, channels);
  return {
    streams: work.streams.map(({ stream, receivers }) => ({
      id: stream.id,
      senderDeviceId: stream.senderDeviceId,
      streamNumber: stream.streamNumber,
      channels: stream.channels,
      receivers,
      isNew: stream.sent === null,
    })),
    receivers: work.receivers.map(({ deviceId, feeds, clears, leaves }) => ({
      deviceId,
      feeds: feeds.length,
      clears: clears.length,
      leaves: leaves.length,
    })),
    stops: work.stops,
    left: work.left,
  };
}

export type SendOutcome = Omit<SendReport, 'put' | 'drop'>;

/**
 * Sends, after whatever is being sent already: one at a time for the whole process, as two at once could give one device contradicting
 * orders. `tell` hears how it gets on, from the moment that it begins. With an id it can be stopped by `stopSending`.
 */
export function sendLanes(
  planId: string,
  channels: readonly ChannelRef[],
  author: Author,
  start: boolean,
  { id = null, tell = () => {} }: { id?: string | null; tell?: (news: SendNews) => void } = {},
): Promise<SendOutcome> {
  const state = serverState().sending;
  if (id !== null) state.stopped.set(id, false);
  const hooks: SendHooks = {
    tell: (progress) => tell({ kind: 'progress', ...progress }),
    isStopped: () => id !== null && state.stopped.get(id) === true,
  };
  const run = state.last.then(async () => {
    const { session, follower, reckoning, bindings, announced, work } = prepare(planId, channels);
    tell({ kind: 'begun', deviceIds: devicesOf(work) });
    const report = await send(work, reckoning, follower, bindings, { start }, announced, hooks);
    if (report.put.length + report.drop.length > 0) {
      const commands = [{ kind: 'keep-sent-streams' as const, put: report.put, drop: report.drop }];
      applyBatch(
        planId,
        { baseRevision: session.revision, title: SYSTEM_TITLE, commands, author },
        { isUndoable: false },
      );
    }
    session.fieldChanged();
    const { devices, left, notBegun, again } = report;
    return { devices, left, notBegun, again };
  });
  state.last = run.catch(() => undefined);
  const forget = () => {
    if (id !== null) state.stopped.delete(id);
  };
  run.then(forget, forget);
  return run;
}

/** Begins with no more devices. What has been taken off is brought to its end. Whether there is such a send. */
export function stopSending(id: string): boolean {
  const { stopped } = serverState().sending;
  if (!stopped.has(id)) return false;
  stopped.set(id, true);
  return true;
}

/** In the order in which they are told: senders, receivers, senders whose streams stop. */
function devicesOf(work: SendPlan): string[] {
  return [
    ...new Set([
      ...work.streams.map((s) => s.stream.senderDeviceId),
      ...work.receivers.map((r) => r.deviceId),
      ...work.stops.map((s) => s.senderDeviceId),
    ]),
  ];
}

/** Reads one device or the whole field anew. */
export async function readAnew(planId: string, deviceId: string | undefined): Promise<void> {
  const session = openSession(planId);
  const { follower } = serverState();
  if (follower === null) throw new RequestProblem(409, 'no-field', 'No registry is set up.');
  if (deviceId === undefined) {
    try {
      await follower.readAnew();
    } catch {
      throw new RequestProblem(502, 'no-registry', 'The registry does not answer.');
    }
    return;
  }
  const node = session.bindings(follower.snapshot()).nodeByDevice.get(deviceId);
  if (!node?.device) throw new RequestProblem(409, 'not-there', 'This device is not there to be read.', 'deviceId');
  follower.readDeviceAnew(node.device.id);
}
