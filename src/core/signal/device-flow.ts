/** What follows from the graph as a whole for the channels of one device, by its nodes. The same object while nothing of it changes. */
export interface DeviceFlow {
  /** Whether any source comes there. */
  readonly isFed: Uint8Array;
  /** Whether any sink receives it. */
  readonly isReceived: Uint8Array;
  /** The node of the plan that it comes from, back through all that only pass it on: a source, a bus, an effect, or what nothing feeds. */
  readonly roots: Int32Array;
}

export function areAlike(a: Uint8Array | Int32Array, b: Uint8Array | Int32Array): boolean {
  if (a.length !== b.length) return false;
  for (let n = 0; n < a.length; n += 1) if (a[n] !== b[n]) return false;
  return true;
}
