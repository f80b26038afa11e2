import { randomUUID } from 'node:crypto';
import { planSend, type ChannelRef, type SendPlan } from '../field/send-plan';
import type { StreamEnd } from '../core/streams/stream-ends-table';
import type { SentStreamKey } from '../core/plan/commands';
import type { Plan } from '../core/plan/plan';
import { sendAgainstField, type SendInterruption } from '../field/send-interrupts';
import { endsToBe, recordsToBe, send } from '../field/send';
import { steadyNow } from '../field/steady-clock';
import type { Moment } from '../field/moment';
import type { SendHooks, SendReport } from '../field/send-report';
import { noteSent, openForChange, openSession } from './edit';
import { fieldToTell } from './field-to-tell';
import type { Author, LanesReport, SendNews } from './messages';
import type { PlanSession } from './plan-session';
import { RequestProblem, storageWords } from './problem';
import { problemAnswer } from './respond';
import { serverState } from './state';
import { LEAD_MS } from './timed-sends';

const SYSTEM_TITLE = 'Sent to the devices';

/** What a send would change, before it is done: only what differs from what the devices do already. */
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
    readonly feeds: readonly number[];
    readonly clears: readonly number[];
    readonly leaves: number;
  }[];
  /** Channels that are fed as planned already. */
  readonly alike: readonly { readonly deviceId: string; readonly channels: readonly number[] }[];
  readonly stops: readonly { readonly senderDeviceId: string; readonly streamNumber: number }[];
  readonly left: SendPlan['left'];
  /** What sounds now and would not go on as it is. */
  readonly interrupts: readonly SendInterruption[];
}

function prepare(planId: string, channels: readonly ChannelRef[]) {
  const { announcements } = serverState();
  const { session, follower, field } = fieldToTell(
    planId,
    channels.map((c) => c.deviceId),
    (n) => `channels[${n}].deviceId`,
  );
  const reckoning = session.reckoning();
  const bindings = session.bindings(field);
  const announced = announcements?.streams();
  const work = planSend(channels, reckoning, field, bindings, announced);
  return { session, follower, field, reckoning, bindings, announced, work };
}

export function previewSend(planId: string, channels: readonly ChannelRef[]): SendPreview {
  const { work, reckoning, bindings, field } = prepare(planId, channels);
  const { interrupts, alike, goingOut } = sendAgainstField(work, reckoning, field, bindings);
  const differing = work.receivers.map(({ deviceId, feeds, clears, leaves }) => ({
    deviceId,
    feeds: feeds.map((f) => f.channel).filter((c) => alike.get(deviceId)?.has(c) !== true),
    clears,
    leaves: leaves.length,
  }));
  return {
    streams: work.streams
      .filter(({ stream }) => !goingOut.has(stream))
      .map(({ stream, receivers }) => ({
        id: stream.id,
        senderDeviceId: stream.senderDeviceId,
        streamNumber: stream.streamNumber,
        channels: stream.channels,
        receivers,
        isNew: stream.sent === null,
      })),
    receivers: differing.filter((r) => r.feeds.length + r.clears.length + r.leaves > 0),
    alike: [...alike]
      .filter(([, channels]) => channels.size > 0)
      .map(([deviceId, channels]) => ({ deviceId, channels: [...channels].sort((a, b) => a - b) })),
    stops: work.stops,
    left: work.left,
    interrupts,
  };
}

/**
 * Sends. What will be sent to devices is noted in the plan before any of it is: where that fails nothing is sent. `tell` is called as it
 * gets on. With an id it can be stopped by `stopSending`. Whatever happens once sending has begun, the report is returned.
 */
export function sendLanes(
  planId: string,
  channels: readonly ChannelRef[],
  author: Author,
  start: boolean,
  {
    id: ownId = null,
    isRetry = false,
    at,
    tell = () => {},
    leadMs = LEAD_MS,
  }: {
    id?: string | null;
    isRetry?: boolean;
    at?: Moment;
    tell?: (news: SendNews) => void;
    /** How long before its moment devices are made ready. */
    leadMs?: number;
  } = {},
): Promise<LanesReport> {
  const { queue, stopped, timed } = serverState().sending;
  openForChange(planId);
  // What waits for a moment can always be cancelled.
  const id = ownId ?? (at === undefined ? null : randomUUID());
  if (id !== null) stopped.set(id, false);
  const hooks: SendHooks = {
    tell: (progress) => tell({ kind: 'progress', ...progress }),
    isStopped: () => id !== null && (stopped.get(id) === true || (at !== undefined && isRemoved())),
  };
  const makeReady = () => {
    const ready = prepare(planId, channels);
    if (at !== undefined && ready.work.quietFirst.size > 0) {
      const names = [...ready.work.quietFirst].map((d) => ready.reckoning.plan.devices.get(d)?.name ?? d);
      const what = `${names.join(', ')} would have to be silent until then, as a stream that is received there is laid out again`;
      throw new RequestProblem(409, 'not-at-a-moment', `${what}. Send these channels at once.`);
    }
    const nodeOf = (deviceId: string) => ready.bindings.nodeByDevice.get(deviceId)?.node.id ?? `${planId} ${deviceId}`;
    return { work: ready, devices: devicesOf(ready.work).map(nodeOf) };
  };
  const waiting = () => tell({ kind: 'waiting' });
  const isRemoved = () => serverState().store.find(planId)?.removedAt !== null;
  const sendNow = () =>
    queue.run(makeReady, waiting, async ({ session, follower, reckoning, bindings, announced, work }) => {
      // Somebody waits for these devices, and has seen them fail: whether they are back is asked, and not waited for.
      for (const deviceId of isRetry ? devicesOf(work) : []) {
        for (const { id: own } of bindings.nodeByDevice.get(deviceId)?.devices ?? []) follower.wake(own);
      }
      const before = session.plan.sentStreams;
      serverState().runs.claim(session.id, devicesOf(work), bindings);
      const toBe = recordsToBe(work, reckoning);
      note(session, { put: toBe, drop: [], ends: endsToBe(work, reckoning.plan, bindings) }, author);
      tell({ kind: 'begun', deviceIds: devicesOf(work) });
      const report = await send(
        work,
        reckoning,
        follower,
        bindings,
        { start, ...(at === undefined ? {} : { at }) },
        announced,
        hooks,
      );
      const notNoted = noteOutcome(session, corrected(report, toBe, before), author);
      session.fieldChanged();
      const { devices, left, notBegun, again } = report;
      return { devices, left, notBegun, again, notNoted };
    });
  const sendThen = async (moment: Moment): Promise<LanesReport> => {
    // What cannot be at a moment is refused now, and not then.
    const { work } = makeReady().work;
    const due = {
      id: id as string,
      planId,
      author,
      at: steadyNow() + moment.atMs - Date.now(),
      channels: channels.length,
    };
    const isDue = await timed.until(due, hooks.isStopped, leadMs);
    if (isDue && !isRemoved()) return sendNow();
    return { devices: [], left: [], notBegun: devicesOf(work), again: channels, notNoted: null };
  };
  const run = at === undefined ? sendNow() : sendThen(at);
  const forget = () => {
    if (id !== null) stopped.delete(id);
  };
  run.then(forget, forget);
  return run;
}

interface Noted extends Pick<SendReport, 'put' | 'drop'> {
  readonly ends?: readonly StreamEnd[];
}

/** What the plan has to say after the send: streams that could not be sent are as they were before. */
function corrected(report: SendReport, toBe: SendReport['put'], before: Plan['sentStreams']): Noted {
  const keyOf = ({ senderDeviceId, streamNumber }: SentStreamKey) => `${senderDeviceId}/${streamNumber}`;
  const done = new Set(report.put.map(keyOf));
  const put = [...report.put];
  const drop = [...report.drop];
  for (const record of toBe) {
    if (done.has(keyOf(record))) continue;
    const was = before.get(record.senderDeviceId)?.get(record.streamNumber);
    if (was !== undefined) put.push(was);
    else drop.push({ senderDeviceId: record.senderDeviceId, streamNumber: record.streamNumber });
  }
  return { put, drop };
}

/** Notes in the plan what was sent. Devices that were removed meanwhile are left out, with all that was sent to them. */
function note(session: PlanSession, { put, drop, ends = [] }: Noted, author: Author): void {
  const isThere = (deviceId: string) => session.plan.devices.has(deviceId);
  const command = {
    kind: 'keep-sent-streams' as const,
    put: put
      .filter((r) => isThere(r.senderDeviceId))
      .map((r) => ({ ...r, receivers: r.receivers.filter((to) => isThere(to.deviceId)) })),
    drop: drop.filter((k) => isThere(k.senderDeviceId)),
    ends: ends.filter((e) => isThere(e.deviceId)),
  };
  if (command.put.length + command.drop.length + command.ends.length > 0)
    noteSent(session, command, SYSTEM_TITLE, author);
}

/** Why the outcome could not be noted; null: it was. The devices have been sent to by now: that is not undone by a disk that is full. */
function noteOutcome(session: PlanSession, noted: Noted, author: Author): string | null {
  try {
    note(session, noted, author);
    return null;
  } catch (error) {
    const { errorId } = problemAnswer(error).error;
    return storageWords(error) ?? `The log has the reason as ${errorId}`;
  }
}

/** In the order in which they are sent to: senders, receivers, senders whose streams stop. */
function devicesOf(work: SendPlan): string[] {
  return [
    ...new Set([
      ...work.streams.map((s) => s.stream.senderDeviceId),
      ...work.receivers.map((r) => r.deviceId),
      ...work.stops.map((s) => s.senderDeviceId),
    ]),
  ];
}

/** Reads one device or the whole field again. */
export async function readAgain(planId: string, deviceId: string | undefined): Promise<void> {
  const session = openSession(planId);
  const { follower } = serverState();
  if (follower === null) throw new RequestProblem(409, 'no-field', 'No registry is set and no node added.');
  if (deviceId === undefined) {
    try {
      await follower.readAgain();
    } catch {
      throw new RequestProblem(502, 'no-registry', 'The registry does not answer.');
    }
    return;
  }
  const node = session.bindings(follower.snapshot()).nodeByDevice.get(deviceId);
  if (!node?.device) throw new RequestProblem(409, 'not-there', 'This device is not there to be read.', 'deviceId');
  follower.readDeviceAgain(node.device.id);
}
