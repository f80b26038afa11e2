/** Where each leg of a stream is sent: multicast groups (or the receiver's addresses, when it is sent to one) as 32-bit numbers;
 * null where it has no such leg or the pool is used up. */
export interface StreamGroups {
  readonly A: number | null;
  readonly B: number | null;
}
