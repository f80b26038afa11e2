import type { DeviceResource } from './is04';

/**
 * A node may have several devices (IS-04: each a logical block of functionality, such as a card of a frame). Where they have channel maps of their own no
 * channel goes from one into a stream of another: then each is planned by itself. Without channel maps all of them are one, with the streams of one
 * device after those of the other.
 */
export function devicesApart(
  devices: readonly DeviceResource[],
  /** Whether any sender or receiver of sound is of a device. */
  hasStreams: (deviceId: string) => boolean,
): readonly DeviceResource[] {
  const carrying = devices.filter((d) => hasStreams(d.id));
  return carrying.length > 1 && carrying.some((d) => d.channelMapHrefs.length > 0) ? carrying : [];
}

/** What a device is called beside the others of its node: by its label where that tells them apart, else by its number. */
export function labelOfDevice(nodeLabel: string, devices: readonly DeviceResource[], deviceId: string): string {
  const own = devices.find((d) => d.id === deviceId)?.label ?? '';
  const isTelling = own !== '' && own !== nodeLabel && devices.filter((d) => d.label === own).length === 1;
  if (isTelling) return `${nodeLabel}, ${own}`;
  const ids = devices.map((d) => d.id).sort();
  return `${nodeLabel}, device ${ids.indexOf(deviceId) + 1}`;
}
