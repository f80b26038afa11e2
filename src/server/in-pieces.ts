/** An answer of many megabytes is handed on in pieces of this size, as fast as it is taken. */
const PIECE_BYTES = 256 * 1024;

/** Parts one after the other as one stream. They are not copied: what many are sent at once is in memory once. */
export function inPieces(parts: readonly Uint8Array[]): ReadableStream<Uint8Array> {
  let part = 0;
  let at = 0;
  return new ReadableStream<Uint8Array>(
    {
      pull(controller) {
        while (part < parts.length && at >= (parts[part] as Uint8Array).byteLength) {
          part += 1;
          at = 0;
        }
        const octets = parts[part];
        if (octets === undefined) return controller.close();
        controller.enqueue(octets.subarray(at, at + PIECE_BYTES));
        at += PIECE_BYTES;
      },
    },
    { highWaterMark: 1 },
  );
}
