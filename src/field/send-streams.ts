import { readSdp } from '../core/formats/sdp';
import { formatKey } from '../core/streams/format';
import type { Stream } from '../core/streams/stream';
import { announcedSdp } from './announcements';
import { activateMap, patchEnd, readChannelMap, readEnd, readTransportFile, type MapAction } from './device-reader';
import { ownChannel } from '../core/formats/is08';
import type { FieldNode } from './field-resources';
import type { SendContext } from './send-report';
import { placedLegs } from './stream-legs';

/** Telling senders: what is in each position of a stream, then the stream itself. */

/** Returns the stream's SDP (null while it is only staged), or undefined when the sender could not be set. */
export async function sendStream(stream: Stream, context: SendContext): Promise<string | null | undefined> {
  const { follower, report, start } = context;
  const node = context.bindings.nodeByDevice.get(stream.senderDeviceId) as FieldNode;
  const end = node.senders[stream.streamNumber - 1];
  const device = node.device;
  const href = device?.connectionHref;
  if (!device || !href || end === undefined) {
    await report.step(stream.senderDeviceId, 'sender', stream.id, () =>
      Promise.reject(new Error(`the device has no sender number ${stream.streamNumber}`)),
    );
    return undefined;
  }
  if (start) {
    const isMapped = await report.step(stream.senderDeviceId, 'sender-map', stream.id, async () => {
      const mapHref = device.channelMapHref;
      if (!mapHref) throw new Error('the device offers no channel map');
      const map = await readChannelMap(mapHref);
      const sourceId = follower.snapshot().sourceOfSender(end.id);
      const output = map.outputs.find((o) => o.sourceId !== null && o.sourceId === sourceId);
      if (output === undefined) throw new Error(`the channel map has no output for stream ${stream.streamNumber}`);
      const entries: MapAction[string] = {};
      for (let index = 0; index < output.channels; index += 1) {
        const channel = stream.channels[index];
        const own = channel === undefined ? null : ownChannel(map.inputs, (i) => i.receiverId === null, channel);
        if (channel !== undefined && own === null) throw new Error(`the channel map has no input channel ${channel}`);
        entries[String(index)] = own
          ? { input: own.id, channel_index: own.index }
          : { input: null, channel_index: null };
      }
      await activateMap(mapHref, { [output.id]: entries });
    });
    if (!isMapped) return undefined;
  }
  let sdp: string | null = null;
  const isSent = await report.step(stream.senderDeviceId, 'sender', stream.id, async () => {
    const reading = follower.snapshot().readings.get(end.id) ?? (await readEnd(href, 'senders', end.id));
    const legs = placedLegs(stream, stream.senderDeviceId, reading.active.legs, context);
    if (legs.every((l) => l === null)) throw new Error('the device has no leg that this stream goes out on');
    await patchEnd(href, 'senders', end.id, { isEnabled: true, peerId: null, legs, sdp: null, activate: start });
    follower.noteReading('senders', end.id, await readEnd(href, 'senders', end.id));
    if (!start) return;
    sdp = await readTransportFile(href, end.id);
    mustBeAsPlanned(stream, sdp);
  });
  return isSent ? sdp : undefined;
}

function mustBeAsPlanned(stream: Stream, sdp: string): void {
  const { audio, problems } = readSdp(sdp);
  if (audio === null) throw new Error(`its SDP cannot be read: ${problems[0]?.problem ?? ''}`);
  if (formatKey(audio.format) !== stream.formatKey || audio.channels < stream.channels.length) {
    throw new Error(
      `it sends ${audio.channels} channels of ${formatKey(audio.format)}, the plan wants ${stream.channels.length} of ${stream.formatKey}`,
    );
  }
}

/** The SDP of a stream whose sender is never written: as the sender tells it where it is in the registry, else as announced. */
export async function foreignSdp(
  stream: Stream,
  { reckoning, bindings, announced, report }: SendContext,
): Promise<string | undefined> {
  const node = bindings.nodeByDevice.get(stream.senderDeviceId);
  const end = node?.senders[stream.streamNumber - 1];
  const href = node?.device?.connectionHref;
  let sdp: string | undefined;
  const isRead = await report.step(stream.senderDeviceId, 'sender-read', stream.id, async () => {
    const told =
      href && end
        ? await readTransportFile(href, end.id)
        : announcedSdp(stream, reckoning, bindings.translation, announced);
    if (told === null) throw new Error('it is not announced any more');
    mustBeAsPlanned(stream, told);
    sdp = told;
  });
  return isRead ? sdp : undefined;
}
