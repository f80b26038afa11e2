import { planSend, type ChannelRef, type SendPlan } from '../field/send-plan';
import { send } from '../field/send';
import type { SendReport } from '../field/send-report';
import { applyBatch, openSession } from './edit';
import type { Author } from './messages';
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

/** One send at a time for the whole process: two at once could give one device contradicting orders. */
let sending: Promise<unknown> = Promise.resolve();

export function sendLanes(
  planId: string,
  channels: readonly ChannelRef[],
  author: Author,
  start: boolean,
): Promise<Omit<SendReport, 'put' | 'drop'>> {
  const run = sending.then(async () => {
    const { session, follower, reckoning, bindings, announced, work } = prepare(planId, channels);
    const report = await send(work, reckoning, follower, bindings, { start }, announced);
    if (report.put.length + report.drop.length > 0) {
      const commands = [{ kind: 'keep-sent-streams' as const, put: report.put, drop: report.drop }];
      applyBatch(
        planId,
        { baseRevision: session.revision, title: SYSTEM_TITLE, commands, author },
        { isUndoable: false },
      );
    }
    session.fieldChanged();
    return { devices: report.devices, left: report.left };
  });
  sending = run.catch(() => undefined);
  return run;
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
