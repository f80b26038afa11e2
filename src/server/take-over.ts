import type { Command } from '../core/plan/commands';
import type { PlanRef } from '../core/plan/plan-ref';
import type { SentStream } from '../core/streams/sent-streams-table';
import type { StreamEnd } from '../core/streams/stream-ends-table';
import type { Bindings } from '../field/binding';
import type { FieldSnapshot } from '../field/field-snapshot';
import { noteSent, openForChange } from './edit';
import { fieldToTell } from './field-to-tell';
import type { Author } from './messages';
import type { PlanSession } from './plan-session';
import { RequestProblem } from './problem';
import { sessionOf } from './sessions';
import { serverState } from './state';

/** A device of the plan that another plan runs, and how the two plans want it. Lanes are those that it receives. */
export interface DeviceElsewhere {
  readonly deviceId: string;
  readonly runBy: PlanRef;
  /** Received alike in both plans. */
  readonly alike: number;
  /** Received from another channel there. */
  readonly otherwise: number;
  readonly onlyThere: number;
  readonly onlyHere: number;
  /** Streams of it that the other plan has sent, which this plan then knows and keeps. */
  readonly streams: number;
}

export interface TakeOverPreview {
  readonly devices: readonly DeviceElsewhere[];
}

/** One other plan, with its devices by those of this plan that are the same in the field. */
interface Other {
  readonly session: PlanSession;
  readonly ref: PlanRef;
  /** By device of the other plan: that of this one. */
  readonly ours: ReadonlyMap<string, string>;
  /** By device of this plan: that of the other one. */
  readonly theirs: ReadonlyMap<string, string>;
}

function othersOf(session: PlanSession, field: FieldSnapshot): { bindings: Bindings; others: Map<string, Other> } {
  const bindings = session.bindings(field);
  const byNodeDevice = new Map([...bindings.nodeByDevice].map(([id, node]) => [node.device?.id ?? '', id]));
  const others = new Map<string, Other>();
  for (const ref of bindings.runElsewhere?.values() ?? []) {
    if (others.has(ref.planId)) continue;
    const other = sessionOf(ref.planId);
    if (other === null) continue;
    const ours = new Map<string, string>();
    for (const [id, node] of other.bindings(field).nodeByDevice) {
      const own = byNodeDevice.get(node.device?.id ?? '');
      if (own !== undefined) ours.set(id, own);
    }
    const theirs = new Map([...ours].map(([their, our]) => [our, their]));
    others.set(ref.planId, { session: other, ref, ours, theirs });
  }
  return { bindings, others };
}

/** The devices of the plan that other plans run, in the order of their names. */
export function previewTakeOver(planId: string): TakeOverPreview {
  const { session, field } = fieldToTell(planId, [], () => 'deviceIds');
  const { bindings, others } = othersOf(session, field);
  const devices = [...(bindings.runElsewhere ?? [])].flatMap(([deviceId, runBy]): DeviceElsewhere[] => {
    const other = others.get(runBy.planId);
    const their = other?.theirs.get(deviceId);
    if (other === undefined || their === undefined) {
      return [{ deviceId, runBy, alike: 0, otherwise: 0, onlyThere: 0, onlyHere: 0, streams: 0 }];
    }
    const own = session.plan.subscriptions.get(deviceId) ?? new Map();
    let [alike, otherwise, onlyThere] = [0, 0, 0];
    for (const [channel, s] of other.session.plan.subscriptions.get(their) ?? []) {
      const mine = own.get(channel);
      const isAlike =
        mine?.senderChannel === s.senderChannel && mine.senderDeviceId === other.ours.get(s.senderDeviceId);
      if (mine === undefined) onlyThere += 1;
      else if (isAlike) alike += 1;
      else otherwise += 1;
    }
    const onlyHere = own.size - alike - otherwise;
    const streams = other.session.plan.sentStreams.get(their)?.size ?? 0;
    return [{ deviceId, runBy, alike, otherwise, onlyThere, onlyHere, streams }];
  });
  const name = (id: string) => session.plan.devices.get(id)?.name ?? id;
  return { devices: devices.sort((a, b) => name(a.deviceId).localeCompare(name(b.deviceId))) };
}

/**
 * This plan runs these devices from now on. Nothing is sent by it: what the other plan sent is remembered here, so that streams that carry keep
 * their numbers, groups and receivers in this plan too, and what differs is sent when somebody sends it.
 */
export function takeOver(planId: string, deviceIds: readonly string[], author: Author): TakeOverPreview {
  openForChange(planId);
  const { session, field } = fieldToTell(planId, deviceIds, (n) => `deviceIds[${n}]`);
  const { bindings, others } = othersOf(session, field);
  const taken = deviceIds.filter((id) => bindings.runElsewhere?.has(id) === true);
  if (taken.length === 0)
    throw new RequestProblem(409, 'not-elsewhere', 'No other plan runs these devices.', 'deviceIds');
  const names = new Set<string>();
  for (const other of others.values()) {
    const own = taken.filter((id) => bindings.runElsewhere?.get(id)?.planId === other.ref.planId);
    const command = remembered(session, other, own);
    noteSent(session, command, `Take over ${own.length} devices from ${other.ref.name}`, author);
    names.add(other.ref.name);
  }
  serverState().runs.takeOver(planId, taken, bindings);
  return previewTakeOver(planId);
}

/** What the other plan sent from these devices, by the ids of this plan. */
function remembered(
  session: PlanSession,
  { session: { plan }, ours, theirs }: Other,
  taken: readonly string[],
): Extract<Command, { kind: 'keep-sent-streams' }> {
  const put: SentStream[] = [];
  const drop: { senderDeviceId: string; streamNumber: number }[] = [];
  const ends: StreamEnd[] = [];
  for (const deviceId of taken) {
    const their = theirs.get(deviceId);
    if (their === undefined) continue;
    const sent = plan.sentStreams.get(their) ?? new Map<number, SentStream>();
    for (const record of sent.values()) {
      const receivers = record.receivers.flatMap((r) => {
        const own = ours.get(r.deviceId);
        return own === undefined ? [] : [{ ...r, deviceId: own }];
      });
      put.push({ ...record, senderDeviceId: deviceId, receivers });
    }
    for (const streamNumber of session.plan.sentStreams.get(deviceId)?.keys() ?? []) {
      if (!sent.has(streamNumber)) drop.push({ senderDeviceId: deviceId, streamNumber });
    }
    for (const end of plan.streamEnds.get(their)?.values() ?? []) ends.push({ ...end, deviceId });
  }
  return { kind: 'keep-sent-streams', put, drop, ends };
}
