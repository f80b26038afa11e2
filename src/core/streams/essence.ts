/**
 * What a stream carries (ST 2110-10 calls it its essence). What is planned is sound; pictures and ancillary data are told apart, so that nobody takes
 * them for sound, and what a device has of them is said.
 */
const ESSENCES = ['audio', 'picture', 'ancillary'] as const;
export type Essence = (typeof ESSENCES)[number];

/** By its media type (RFC 4855), as SDP and IS-04 name it: ancillary data is `video/smpte291` (RFC 8331). Null: it is none of media. */
export function essenceOfMediaType(mediaType: string): Essence | null {
  const [top = '', sub = ''] = mediaType.toLowerCase().split('/');
  if (top === 'audio') return 'audio';
  if (top !== 'video') return null;
  return sub === 'smpte291' ? 'ancillary' : 'picture';
}

/** By format of an IS-04 flow or receiver, and by media types where that leaves it open. What tells neither is taken for sound. Null: events and the like, which are no stream. */
export function essenceOfFormat(format: string, mediaTypes: readonly string[]): Essence | null {
  if (format.endsWith(':audio')) return 'audio';
  if (format.endsWith(':video') || format.endsWith(':mux')) return 'picture';
  const told = mediaTypes.map(essenceOfMediaType).find((e) => e !== null);
  return told ?? (format === '' ? 'audio' : null);
}
