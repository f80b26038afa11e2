import { readSdp, type SdpLeg } from '../core/formats/sdp';
import { sdpDifferences } from '../core/formats/sdp-differences';
import { plannedSdp } from '../core/formats/stream-sdp';
import { parseAddress } from '../core/network/address';
import { mapProblem } from '../core/streams/map-limits';
import { NOTHING, type Stream } from '../core/streams/stream';
import { announcedSdp } from './announcements';
import { destinationText, fieldAddress } from './binding';
import {
  activateMap,
  isOnLegs,
  patchEnd,
  putBackEnd,
  readChannelMap,
  readEnd,
  readTransportFile,
  type EndBefore,
  type MapAction,
} from './device-reader';
import { sentPlace, type ChannelMap } from '../core/formats/is08';
import { orderOf } from './device-order';
import { connectionHrefOf, type FieldNode } from './field-resources';
import type { SendContext } from './send-report';
import { placedLegs } from './stream-legs';

/** Telling senders: what is in each position of a stream, then the stream itself. */

/** What came of a stream: its SDP, null while it is only staged; or that it could not be set, and whether its sender is known to be as it was. */
type StreamOutcome =
  | { readonly isSent: true; readonly sdp: string | null }
  | { readonly isSent: false; readonly isAsItWas: boolean };

export async function sendStream(stream: Stream, context: SendContext): Promise<StreamOutcome> {
  const { follower, report, start } = context;
  const deviceId = stream.senderDeviceId;
  const node = context.bindings.nodeByDevice.get(deviceId) as FieldNode;
  const end = node.senders[stream.streamNumber - 1];
  const device = node.device;
  const href = end && connectionHrefOf(node, end);
  if (!device || !href || end === undefined) {
    await report.step(deviceId, 'sender', stream.id, () =>
      Promise.reject(new Error(`the device has no sender number ${stream.streamNumber}`)),
    );
    return { isSent: false, isAsItWas: true };
  }
  const mapHref = device.channelMapHref;
  // Without a channel map there is nothing to tell: its streams carry what their model says.
  const isInOrder = orderOf(context.reckoning.plan, deviceId, 'send', node) !== null;
  let mapBefore: MapAction = {};
  let endBefore: EndBefore | null = null;
  let sdp: string | null = null;
  const isMapped =
    !start ||
    isInOrder ||
    (await report.step(deviceId, 'sender-map', stream.id, async () => {
      if (!mapHref) throw new Error('the device offers no channel map');
      const map = await readChannelMap(mapHref);
      const changes = streamMap(stream, map, follower.snapshot().sourceOfSender(end.id));
      mapBefore = changes.before;
      if (Object.keys(changes.action).length > 0) await activateMap(mapHref, changes.action);
    }));
  const isSent =
    isMapped &&
    (await report.step(deviceId, 'sender', stream.id, async () => {
      endBefore = { active: (await readEnd(href, 'senders', end.id)).active, sdp: null };
      const legs = placedLegs(stream, deviceId, endBefore.active.legs, context, null, { node, end });
      if (legs.every((l) => l === null)) throw new Error('the device has no leg that this stream goes out on');
      const isThere = endBefore.active.isEnabled && isOnLegs(endBefore.active.legs, legs);
      // What goes out already is not started again.
      if (!start || !isThere) {
        await patchEnd(href, 'senders', end.id, { isEnabled: true, peerId: null, legs, sdp: null, activate: start });
      }
      const reading = await readEnd(href, 'senders', end.id);
      follower.noteReading('senders', end.id, reading);
      if (!start) return;
      if (!isOnLegs(reading.active.legs, legs)) throw new Error('accepted, but it sends something else');
      sdp = await readTransportFile(href, end.id);
      mustBeAsPlanned(stream, sdp, context);
    }));
  if (isSent) return { isSent: true, sdp };
  if (report.isSilent(deviceId)) return { isSent: false, isAsItWas: false };
  return { isSent: false, isAsItWas: await putBack(stream, context, end.id, mapBefore, endBefore) };
}

/** What a stream wants of the channel map: the entries that change, and what stands there now. */
function streamMap(
  stream: Stream,
  map: ChannelMap,
  sourceId: string | null,
): { readonly action: MapAction; readonly before: MapAction } {
  const output = map.outputs.find((o) => o.sourceId !== null && o.sourceId === sourceId);
  if (output === undefined) throw new Error(`the channel map has no output for stream ${stream.streamNumber}`);
  const action: MapAction[string] = {};
  const before: MapAction[string] = {};
  for (let index = 0; index < output.channels; index += 1) {
    const channel = stream.channels[index];
    const isEmpty = channel === undefined || channel === NOTHING;
    const own = isEmpty ? null : sentPlace(map, channel);
    if (!isEmpty && own === null) throw new Error(`the channel map has no input channel ${channel}`);
    const now = map.active.get(output.id)?.get(index) ?? null;
    if (now?.input === own?.id && now?.index === own?.index) continue;
    // A position that nothing is wanted in keeps what it has, where something always feeds it.
    if (own === null && output.routable?.has(null) === false) continue;
    if (output.routable?.has(own?.id ?? null) === false) {
      throw new Error(`its channel map does not let ${own?.id ?? 'nothing'} feed position ${index + 1} of the stream`);
    }
    action[String(index)] = { input: own?.id ?? null, channel_index: own?.index ?? null };
    before[String(index)] = { input: now?.input ?? null, channel_index: now?.index ?? null };
  }
  const after = new Map(map.active.get(output.id) ?? []);
  for (const [index, { input, channel_index }] of Object.entries(action)) {
    if (input === null || channel_index === null) after.delete(Number(index));
    else after.set(Number(index), { input, index: channel_index });
  }
  const limitsOf = (id: string) => map.inputs.find((i) => i.id === id)?.limits ?? null;
  const problem = mapProblem(after, limitsOf);
  if (problem !== null) {
    const size = limitsOf(problem.input)?.blockSize ?? 1;
    throw new Error(
      problem.broken === 'block'
        ? `its channel map takes blocks of ${size} only, which position ${problem.output + 1} of the stream would break`
        : `its channel map keeps the order of its channels, which position ${problem.output + 1} of the stream would break`,
    );
  }
  const isEmpty = Object.keys(action).length === 0;
  return { action: isEmpty ? {} : { [output.id]: action }, before: isEmpty ? {} : { [output.id]: before } };
}

/** Puts a sender back to what it was, as far as it was changed: first what it sends to, then what is in it. Whether it is as it was. */
async function putBack(
  stream: Stream,
  { bindings, follower, report, start }: SendContext,
  endId: string,
  mapBefore: MapAction,
  endBefore: EndBefore | null,
): Promise<boolean> {
  const node = bindings.nodeByDevice.get(stream.senderDeviceId);
  const end = node?.senders.find((s) => s.id === endId);
  const href = node && end && connectionHrefOf(node, end);
  const mapHref = node?.device?.channelMapHref;
  if (!start || !href) return true;
  if (endBefore === null && Object.keys(mapBefore).length === 0) return true;
  return report.step(stream.senderDeviceId, 'sender-restore', stream.id, async () => {
    if (endBefore !== null) {
      await putBackEnd(href, 'senders', endId, endBefore);
      follower.noteReading('senders', endId, await readEnd(href, 'senders', endId));
    }
    if (mapHref && Object.keys(mapBefore).length > 0) await activateMap(mapHref, mapBefore);
  });
}

/**
 * Holds what a sender says that it sends against the plan, before any receiver is sent to it. What cannot be received as planned is an error with
 * both values; what can is noted in the report.
 */
function mustBeAsPlanned(stream: Stream, sdp: string, { reckoning, bindings, report }: SendContext): void {
  const { audio: found, problems } = readSdp(sdp);
  if (found === null) throw new Error(`its SDP cannot be read: ${problems[0]?.problem ?? ''}`);
  const { senderDeviceId } = stream;
  const planned = plannedSdp(reckoning, stream);
  if (planned === null) return;
  const inField = (leg: SdpLeg): SdpLeg => ({
    ...leg,
    group: destinationText(parseAddress(leg.group) ?? 0, bindings.translation),
    sourceAddress: leg.sourceAddress === null ? null : fieldAddress(leg.sourceAddress, bindings.translation),
  });
  const isInOrder = orderOf(reckoning.plan, senderDeviceId, 'send', bindings.nodeByDevice.get(senderDeviceId)) !== null;
  // What was measured of it once is no wish.
  const wanted = { ...planned, channels: stream.channels.length, legs: planned.legs.map(inField) };
  const receivers = { routers: mostRouters(stream, reckoning), isExactWidth: isInOrder };
  const differences = sdpDifferences(wanted, found, receivers);
  const refusals = differences.filter((d) => d.severity === 'refusal');
  if (refusals.length > 0) {
    const all = refusals.map(({ what, planned: p, found: f }) => `${what} ${f}, where the plan has ${p}`);
    throw new Error(`it sends ${all.join('; ')}`);
  }
  report.caution(senderDeviceId, stream.id, differences);
}

/** The most routers between the sender and any receiver of a stream. */
function mostRouters(stream: Stream, { lanesByReceiver }: SendContext['reckoning']): number {
  let most = 0;
  for (const id of stream.receiverDeviceIds) {
    for (const lane of lanesByReceiver.get(id)?.values() ?? []) {
      if (lane.verdict === 'refused' || lane.reception.stream !== stream) continue;
      const { wayA, wayB, betweenSubnets } = lane.reception.pair;
      most = Math.max(most, wayA?.routers ?? 0, wayB?.routers ?? 0, betweenSubnets === null ? 0 : 1);
      break;
    }
  }
  return most;
}

/** The SDP of a stream whose sender is never written: as the sender gives it where it is in the registry, else as announced. */
export async function foreignSdp(stream: Stream, context: SendContext): Promise<StreamOutcome> {
  const { reckoning, bindings, announced, report } = context;
  const node = bindings.nodeByDevice.get(stream.senderDeviceId);
  const end = node?.senders[stream.streamNumber - 1];
  const href = node && end && connectionHrefOf(node, end);
  let sdp: string | undefined;
  const isRead = await report.step(stream.senderDeviceId, 'sender-read', stream.id, async () => {
    const told =
      href && end
        ? await readTransportFile(href, end.id)
        : announcedSdp(stream, reckoning, bindings.translation, announced);
    if (told === null) throw new Error('it is not announced any more');
    mustBeAsPlanned(stream, told, context);
    sdp = told;
  });
  return isRead && sdp !== undefined ? { isSent: true, sdp } : { isSent: false, isAsItWas: true };
}
