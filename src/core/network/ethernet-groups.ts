/** A set of the 23 bits that Ethernet keeps of a group, as a bit each: it is copied with every edit. */
export class EthernetGroups {
  private constructor(private readonly octets: Uint8Array) {}

  static none(): EthernetGroups {
    return new EthernetGroups(new Uint8Array(1 << 20));
  }

  copy(): EthernetGroups {
    return new EthernetGroups(this.octets.slice());
  }

  has(bits: number): boolean {
    return ((this.octets[bits >> 3] as number) & (1 << (bits & 7))) !== 0;
  }

  add(bits: number): void {
    this.octets[bits >> 3] = (this.octets[bits >> 3] as number) | (1 << (bits & 7));
  }

  remove(bits: number): void {
    this.octets[bits >> 3] = (this.octets[bits >> 3] as number) & ~(1 << (bits & 7));
  }
}
