import ipaddr from 'ipaddr.js';

/** An IPv4 block as whole numbers: every address a with (a & mask) === base. */
export interface Block {
  readonly base: number;
  readonly mask: number;
  readonly prefix: number;
}

/** Addresses already read: a plan names the same few thousand again and again, and reading is slow beside looking up. */
const known = new Map<string, number | null>();
const KNOWN_MAX = 50_000;

/** An IPv4 address as an unsigned 32-bit number, or null when the text is not one in four decimal parts. */
export function parseAddress(text: string): number | null {
  let address = known.get(text);
  if (address === undefined) {
    address = readAddress(text);
    if (known.size >= KNOWN_MAX) known.clear();
    known.set(text, address);
  }
  return address;
}

function readAddress(text: string): number | null {
  if (!ipaddr.IPv4.isValidFourPartDecimal(text)) return null;
  const [a, b, c, d] = ipaddr.IPv4.parse(text).octets as [number, number, number, number];
  return ((a << 24) | (b << 16) | (c << 8) | d) >>> 0;
}

export function formatAddress(address: number): string {
  return [24, 16, 8, 0].map((shift) => (address >>> shift) & 255).join('.');
}

/** `10.71.36.0/24` as a block; host bits are cleared. Null when the text is not a CIDR. */
export function parseCidr(text: string): Block | null {
  const [addressText, prefixText] = text.split('/');
  if (addressText === undefined || prefixText === undefined || !/^\d{1,2}$/.test(prefixText)) return null;
  const address = parseAddress(addressText);
  const prefix = Number(prefixText);
  if (address === null || prefix > 32) return null;
  const mask = prefix === 0 ? 0 : (0xffffffff << (32 - prefix)) >>> 0;
  return { base: (address & mask) >>> 0, mask, prefix };
}

export function isInBlock(address: number, block: Block): boolean {
  return (address & block.mask) >>> 0 === block.base;
}

/** Whether an address can be given to a host of the block: not the network or broadcast address (RFC 3021 for /31). */
export function isHostOfBlock(address: number, block: Block): boolean {
  if (!isInBlock(address, block)) return false;
  if (block.prefix >= 31) return true;
  return address !== block.base && address !== (block.base | ~block.mask) >>> 0;
}

/** The first free host address of the block from `start` upwards (default: the tenth), or null when the block is full. */
export function firstFreeAddress(block: Block, isTaken: (address: number) => boolean, start?: number): number | null {
  const size = 2 ** (32 - block.prefix);
  const offset = start === undefined ? Math.min(10, size - 1) : start - block.base;
  for (let step = 0; step < size; step += 1) {
    const candidate = (block.base + ((offset + step) % size)) >>> 0;
    if (isHostOfBlock(candidate, block) && !isTaken(candidate)) return candidate;
  }
  return null;
}

/** 224.0.0.0/4. */
export function isMulticast(address: number): boolean {
  return address >>> 28 === 0xe;
}

/** RFC 1112: a group maps onto an Ethernet address by its low 23 bits, so 32 groups share one. */
export function ethernetGroupBits(group: number): number {
  return group & 0x7fffff;
}

/**
 * Groups that other protocols are on, by their low 23 bits: NTP (224.0.1.1), PTP and the alternate domains of its first version (224.0.1.129 to
 * .132), and announcements of sessions in the global, organisation and local scope (RFC 2974: 224.2.127.254, 239.195.255.255, 239.255.255.255).
 */
const OF_OTHER_PROTOCOLS = new Set(
  [
    ...['224.0.1.1', '224.0.1.129', '224.0.1.130', '224.0.1.131', '224.0.1.132'],
    ...['224.2.127.254', '239.195.255.255', '239.255.255.255'],
  ].map((text) => ethernetGroupBits(parseAddress(text) as number)),
);

/**
 * Groups that must not carry media: 239.0.0.x and 239.128.0.x share Ethernet addresses with 224.0.0.x and are flooded to every port; others share
 * theirs with a group of another protocol, so that all who listen to that would be sent the media too.
 */
export function isReservedGroup(group: number): boolean {
  const low = ethernetGroupBits(group);
  return low >>> 8 === 0 || OF_OTHER_PROTOCOLS.has(low);
}
