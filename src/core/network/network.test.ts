import fc from 'fast-check';
import { offsetInForce, linkOffset, transitOf } from '../delay/link-offset';
import { planOfFile } from '../formats/plan-file';
import { skerryPoint } from '../../demo/skerry-point';
import {
  ethernetGroupBits,
  firstFreeAddress,
  formatAddress,
  isHostOfBlock,
  isReservedGroup,
  parseAddress,
  parseCidr,
} from './address';
import { subnetOfPort } from './delivery';
import { waitBehindFrameNs } from './link-cost';
import { endAt, topologyOf } from './topology';

const group = (text: string) => parseAddress(text) as number;

describe('addresses', () => {
  test('text and number are the same thing', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 0xffffffff }), (address) => {
        expect(parseAddress(formatAddress(address))).toBe(address);
      }),
    );
  });

  test.each(['10.0.0', '10.0.0.256', 'a.b.c.d', '', '10.0.0.1/24', '0x7f.1'])('%j is no address', (text) => {
    expect(parseAddress(text)).toBeNull();
  });

  test.each([
    ['10.71.36.0/24', '10.71.36.0', false],
    ['10.71.36.0/24', '10.71.36.1', true],
    ['10.71.36.0/24', '10.71.36.255', false],
    ['10.71.68.0/25', '10.71.68.128', false],
    ['10.0.0.0/31', '10.0.0.0', true],
    ['10.0.0.0/31', '10.0.0.1', true],
    ['10.0.0.4/32', '10.0.0.4', true],
  ])('in %s the host %s is usable: %s (RFC 3021 for /31)', (cidr, address, usable) => {
    expect(isHostOfBlock(group(address), parseCidr(cidr)!)).toBe(usable);
  });

  test('free addresses are given until the block is full', () => {
    const block = parseCidr('10.0.0.0/29')!;
    const used = new Set<number>();
    for (let n = 0; n < 6; n += 1) used.add(firstFreeAddress(block, (a) => used.has(a))!);
    expect(used.size).toBe(6);
    expect(firstFreeAddress(block, (a) => used.has(a))).toBeNull();
  });

  test('32 groups share one Ethernet address', () => {
    expect(ethernetGroupBits(group('239.1.2.3'))).toBe(ethernetGroupBits(group('239.129.2.3')));
    expect(ethernetGroupBits(group('224.0.1.129'))).toBe(ethernetGroupBits(group('239.128.1.129')));
  });

  test.each([
    ['239.0.0.5', true],
    ['239.128.0.5', true],
    ['239.0.1.129', true],
    ['239.128.1.129', true],
    ['239.71.0.5', false],
    ['239.0.1.130', true],
    ['239.128.1.132', true],
    ['239.0.1.133', false],
    ['239.0.1.1', true],
    ['239.255.255.255', true],
    ['239.127.255.255', true],
    ['239.195.255.255', true],
    ['239.67.255.255', true],
    ['239.2.127.254', true],
    ['239.255.255.254', false],
  ])('%s is not for media: %s', (text, reserved) => {
    expect(isReservedGroup(group(text))).toBe(reserved);
  });
});

describe('network delay', () => {
  test.each([
    [1e9, false, 12.3],
    [1e8, false, 123],
    [1e9, true, 12.3],
  ])('waiting behind one largest frame at %d bit/s (tagged: %s) takes %d us', (speed, tagged, microseconds) => {
    expect(waitBehindFrameNs(speed, tagged) / 1000).toBeCloseTo(microseconds, 0);
  });

  test('the link offset is three packet times unless the model or the engineer says more', () => {
    const format = { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 } as const;
    expect(offsetInForce(format, 1_000_000, null)).toBe(3_000_000);
    expect(offsetInForce(format, 5_000_000, null)).toBe(5_000_000);
    expect(offsetInForce(format, 5_000_000, 2_000_000)).toBe(2_000_000);
    expect(linkOffset(format, 3_000_000, 0)).toEqual({
      offsetNs: 3_000_000,
      neededNs: 2_000_000,
      marginNs: 1_000_000,
    });
  });
});

describe('the way through the cables of Skerry Point', () => {
  const plan = planOfFile(skerryPoint());
  const topology = topologyOf(plan);
  const at = (deviceId: string, port: string) => endAt(topology, deviceId, port, subnetOfPort(plan, deviceId, port)!)!;

  test('from the loft to the Dome it runs over two edges and the core, and its cost is the sum of its hops', () => {
    const way = topology.wayBetween(at('loft-console', 'Media A'), at('dome-amp-6', 'Media A'))!;
    const { links, switchIds } = way.hops();
    expect(switchIds).toEqual(['loft-edge-a', 'core-a', 'south-edge-a']);
    expect(links).toHaveLength(4);
    const slow = links.reduce(
      (sum, l) => sum + (1230 * 8 * 1e9) / l.bitsPerSecond + waitBehindFrameNs(l.bitsPerSecond) + l.metres * 5,
      3 * 4000,
    );
    expect(transitOf(way, 1230)).toBeCloseTo(slow, 3);
  });

  test('it is as long in the other direction, and leg A and leg B share no switch', () => {
    const there = topology.wayBetween(at('loft-console', 'Media A'), at('dome-amp-1', 'Media A'))!;
    const back = topology.wayBetween(at('dome-amp-1', 'Media A'), at('loft-console', 'Media A'))!;
    expect(back.fixedNs).toBeCloseTo(there.fixedNs, 6);
    const b = topology.wayBetween(at('loft-console', 'Media B'), at('dome-amp-1', 'Media B'))!;
    expect(there.hops().switchIds.filter((id) => b.hops().switchIds.includes(id))).toEqual([]);
  });

  test('there is no way between networks that no cable joins', () => {
    expect(topology.wayBetween(at('loft-console', 'Media A'), at('dome-amp-1', 'Media B'))).toBeNull();
  });
});
