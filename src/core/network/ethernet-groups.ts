const PAGE_BITS = 13;
const PAGES = 1 << (23 - PAGE_BITS);
const PAGE_OCTETS = 1 << (PAGE_BITS - 3);

/** A set of the 23 bits that Ethernet keeps of a group, as a bit each. It is copied with every edit: copies share the pages that neither changes. */
export class EthernetGroups {
  private constructor(
    private readonly pages: (Uint8Array | null)[],
    /** By page: whether it is this set's alone. */
    private readonly isOwn: Uint8Array,
  ) {}

  static none(): EthernetGroups {
    return new EthernetGroups(new Array<Uint8Array | null>(PAGES).fill(null), new Uint8Array(PAGES));
  }

  /** The set that is copied is not to be changed any more. */
  copy(): EthernetGroups {
    return new EthernetGroups(this.pages.slice(), new Uint8Array(PAGES));
  }

  has(bits: number): boolean {
    const page = this.pages[bits >> PAGE_BITS];
    return page != null && ((page[octetOf(bits)] as number) & (1 << (bits & 7))) !== 0;
  }

  add(bits: number): void {
    const page = this.ownPage(bits);
    page[octetOf(bits)] = (page[octetOf(bits)] as number) | (1 << (bits & 7));
  }

  remove(bits: number): void {
    const page = this.ownPage(bits);
    page[octetOf(bits)] = (page[octetOf(bits)] as number) & ~(1 << (bits & 7));
  }

  private ownPage(bits: number): Uint8Array {
    const n = bits >> PAGE_BITS;
    let page = this.pages[n] ?? null;
    if (page === null || this.isOwn[n] === 0) {
      page = page === null ? new Uint8Array(PAGE_OCTETS) : page.slice();
      this.pages[n] = page;
      this.isOwn[n] = 1;
    }
    return page;
  }
}

const octetOf = (bits: number) => (bits >> 3) & (PAGE_OCTETS - 1);
