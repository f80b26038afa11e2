import fc from 'fast-check';
import { formatAddress } from '../core/network/address';
import { adapterFor, ownAdapters, seesNetwork, type Adapter } from './adapters';

const adapter = (name: string, network: string): Adapter => ({
  name,
  address: (network.split('/')[0] ?? '').replace(/\.\d+$/, '.9'),
  network,
  isLoopback: false,
});

/** Few addresses and long prefixes close together, so that networks overlap, touch and miss one another. */
const block = fc.tuple(fc.integer({ min: 0, max: 63 }), fc.integer({ min: 24, max: 32 })).map(([low, prefix]) => {
  const base = 0x0a14_0000 + low * 8;
  const size = 2 ** (32 - prefix);
  return { base: base - (base % size), size, text: `${formatAddress(base - (base % size))}/${prefix}` };
});

describe('adapters of this computer', () => {
  test('a network is seen where the two have any address in common', () => {
    fc.assert(
      fc.property(block, block, (own, other) => {
        const isCommon = own.base < other.base + other.size && other.base < own.base + own.size;
        expect(seesNetwork(adapter('a', own.text), other.text)).toBe(isCommon);
      }),
    );
  });

  test('an address is reached by the adapter whose network holds it, the narrowest of several', () => {
    fc.assert(
      fc.property(fc.array(block, { maxLength: 5 }), fc.integer({ min: 0, max: 511 }), (blocks, low) => {
        const address = 0x0a14_0000 + low;
        const all = blocks.map((b, n) => adapter(`a${n}`, b.text));
        const holding = blocks.filter((b) => b.base <= address && address < b.base + b.size);
        const narrowest = Math.min(...holding.map((b) => b.size));
        const found = adapterFor(all, formatAddress(address));
        if (holding.length === 0) expect(found).toBeNull();
        else expect(blocks[all.indexOf(found!)]).toMatchObject({ size: narrowest });
        if (found !== null) expect(holding).toContain(blocks[all.indexOf(found)]);
      }),
    );
  });

  test('what is no address is reached by none', () => {
    const all = [adapter('any', '0.0.0.0/0')];
    expect(adapterFor(all, 'gateway.venue')).toBeNull();
    expect(adapterFor(all, '::1')).toBeNull();
    expect(adapterFor(all, '10.1.2.3')?.name).toBe('any');
  });

  test('this computer has its loopback network at least, written as a network', () => {
    expect(ownAdapters()).toContainEqual(
      expect.objectContaining({ address: '127.0.0.1', network: '127.0.0.0/8', isLoopback: true }),
    );
  });
});
