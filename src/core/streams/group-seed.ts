/** FNV-1a, 32 bit: where in a pool a stream's group is looked for first follows from what the stream is called. */
export function groupSeedOf(streamId: string): number {
  let hash = 0x811c9dc5;
  for (let i = 0; i < streamId.length; i += 1) {
    hash ^= streamId.charCodeAt(i);
    hash = Math.imul(hash, 0x01000193);
  }
  return hash >>> 0;
}
