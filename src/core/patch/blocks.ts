/** A terminal that is patched in blocks: whole runs of channels at once, each in step from a block of another terminal. */

interface BlockPlace {
  readonly blockSize: number;
  readonly channels: number;
}

/** The channels of the block that a channel is in; the last block of a terminal may be short. */
export function blockOf(
  { blockSize, channels }: BlockPlace,
  channel: number,
): { readonly channels: readonly number[] } {
  const first = Math.floor((channel - 1) / blockSize) * blockSize + 1;
  return { channels: Array.from({ length: Math.min(blockSize, channels - first + 1) }, (_, n) => first + n) };
}

interface Feeder {
  readonly terminalId: string;
  readonly channel: number;
}

/** Whether the feeders of a block, in its order, are one block of one terminal in step; or none of them is there. */
export function isBlockWhole(blockSize: number, feeders: readonly (Feeder | null)[]): boolean {
  const [first = null] = feeders;
  if (first === null) return feeders.every((f) => f === null);
  if ((first.channel - 1) % blockSize !== 0) return false;
  return feeders.every((f, n) =>
    f === null ? false : f.terminalId === first.terminalId && f.channel === first.channel + n,
  );
}
