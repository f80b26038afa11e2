/** A set of the 23 bits that Ethernet keeps of a group, as a bit each: it is made anew with every edit. */
export class EthernetGroups {
  private readonly octets = new Uint8Array(1 << 20);

  has(bits: number): boolean {
    return ((this.octets[bits >> 3] as number) & (1 << (bits & 7))) !== 0;
  }

  add(bits: number): void {
    this.octets[bits >> 3] = (this.octets[bits >> 3] as number) | (1 << (bits & 7));
  }
}
