import type { EndState } from '../core/formats/is05';
import type { Reckoning } from '../core/reckon/reckoning';
import type { Stream } from '../core/streams/stream';
import { cancelActivation, isOnLegs, patchEnd, putBackEnd, readEnd, readHeard } from './device-reader';
import { connectionHrefOf, type FieldNode } from './field-resources';
import { isSilence } from './device-rest';
import { failureOf } from './http-json';
import type { Activation } from './moment';
import { replacedBy, type ReceiverWork } from './send-plan';
import type { SendContext } from './send-report';
import { placedLegs } from './stream-legs';

/** A receiver joins streams and leaves them. */

export type Join = ReceiverWork['joins'][number];

/** What has become of the streams when receivers are sent to. */
export interface SentStreams {
  /** Those that are there, each with its SDP; null while it is only staged. */
  readonly sdpByStream: ReadonlyMap<Stream, string | null>;
  /** Those that could not be set, and whose senders are known to be as they were. */
  readonly asTheyWere: ReadonlySet<Stream>;
}

/** What the end receives now, as far as it was read. */
export function activeOf(
  { streamNumber }: Join,
  work: ReceiverWork,
  { bindings, follower }: SendContext,
): EndState | null {
  const end = bindings.nodeByDevice.get(work.deviceId)?.receivers[streamNumber - 1];
  return (end && follower.snapshot().readings.get(end.id)?.active) ?? null;
}

const peerOf = ({ stream }: Join, { bindings }: SendContext): string | null =>
  bindings.nodeByDevice.get(stream.senderDeviceId)?.senders[stream.streamNumber - 1]?.id ?? null;

/** Whether the end receives this very stream already. Where it was not read it is taken that it does not. */
export function isJoined(join: Join, work: ReceiverWork, context: SendContext): boolean {
  const active = activeOf(join, work, context);
  if (active === null || !active.isEnabled || active.peerId !== peerOf(join, context)) return false;
  return isOnLegs(active.legs, legsFor(join, work, active.legs, context));
}

/** Where the legs of the receiver that makes a join go. */
export function legsFor(join: Join, work: ReceiverWork, own: EndState['legs'], context: SendContext) {
  const node = context.bindings.nodeByDevice.get(work.deviceId);
  const end = node?.receivers[join.streamNumber - 1];
  const at = node === undefined || end === undefined ? null : { node, end };
  return placedLegs(join.stream, work.deviceId, own, context, null, at);
}

/** Whether what stands at a position of a stream is another channel than before. */
export function isReplacedAt(stream: Stream, index: number, reckoning: Reckoning): boolean {
  const was = replacedBy(stream, reckoning);
  return was !== null && was.channels[index] !== stream.channels[index];
}

/** @param later joins that are only to be made at a moment, each with what the device is sent of it */
export async function joinAll(
  joins: readonly Join[],
  work: ReceiverWork,
  context: SendContext,
  { sdpByStream }: SentStreams,
  later: (join: Join) => Activation | null = () => null,
): Promise<{ joined: Set<Stream>; heard: Set<Stream> }> {
  const { bindings, follower, report, start } = context;
  const { deviceId } = work;
  const node = bindings.nodeByDevice.get(deviceId) as FieldNode;
  const joined = new Set<Stream>();
  const heard = new Set<Stream>();
  for (const join of joins) {
    const { stream, streamNumber } = join;
    const end = node.receivers[streamNumber - 1];
    const isDone = await report.step(deviceId, 'receiver', stream.id, async () => {
      const href = end === undefined ? null : connectionHrefOf(node, end);
      if (end === undefined || href === null) throw new Error(`the device has no receiver number ${streamNumber}`);
      const senderEnd = bindings.nodeByDevice.get(stream.senderDeviceId)?.senders[stream.streamNumber - 1];
      const senderReading = senderEnd && follower.snapshot().readings.get(senderEnd.id);
      const before = await readHeard(href, end.id);
      const legs = placedLegs(stream, deviceId, before.active.legs, context, senderReading?.active ?? null, {
        node,
        end,
      });
      if (legs.every((l) => l === null)) throw new Error('the device has no leg that receives this stream');
      const sdp = sdpByStream.get(stream) ?? null;
      const peerId = peerOf(join, context);
      const isThere = before.active.isEnabled && before.active.peerId === peerId && isOnLegs(before.active.legs, legs);
      // What it receives already is not started again.
      if (start && isThere && before.sdp === sdp) return;
      const activation = later(join);
      const request = {
        ...{ isEnabled: true, peerId, legs, sdp, activate: start },
        ...(activation === null ? {} : { activation }),
      };
      try {
        await patchEnd(href, 'receivers', end.id, request);
        const reading = await readEnd(href, 'receivers', end.id);
        follower.noteReading('receivers', end.id, reading);
        if (start && activation === null && !isOnLegs(reading.active.legs, legs))
          throw new Error('accepted, but it receives something else');
      } catch (error) {
        // Whether it did it after all is not known until it was put back.
        heard.add(stream);
        // One that fell silent is asked no more; what went wrong first is what the report tells.
        if (start && !isSilence(failureOf(error))) {
          // What it is to do at the moment is taken back first: until then it may be locked.
          const isFree = activation === null ? Promise.resolve() : cancelActivation(href, 'receivers', end.id);
          const isBack = await isFree
            .then(() => putBackEnd(href, 'receivers', end.id, before))
            .then(
              () => true,
              () => false,
            );
          if (isBack) heard.delete(stream);
        }
        throw error;
      }
    });
    if (!isDone) continue;
    joined.add(stream);
    heard.add(stream);
  }
  return { joined, heard };
}

export async function leaveAll(work: ReceiverWork, { bindings, follower, report }: SendContext): Promise<void> {
  const node = bindings.nodeByDevice.get(work.deviceId) as FieldNode;
  for (const streamNumber of work.leaves) {
    const end = node.receivers[streamNumber - 1];
    const href = end && connectionHrefOf(node, end);
    if (end === undefined || !href) continue;
    await report.step(work.deviceId, 'receiver-leave', null, async () => {
      const request = { isEnabled: false, peerId: null, legs: [], sdp: null, activate: true };
      await patchEnd(href, 'receivers', end.id, request);
      follower.noteReading('receivers', end.id, await readEnd(href, 'receivers', end.id));
    });
  }
}
