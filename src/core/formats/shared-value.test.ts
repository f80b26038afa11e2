import fc from 'fast-check';
import { expectSame } from '../plan/test-same';
import { sharedValue } from './shared-value';

/** As text, in which there is no -0. */
const isAsTold = (value: unknown) => JSON.stringify(sharedValue(structuredClone(value))) === JSON.stringify(value);

describe('values that come again and again', () => {
  test('law: a value stays what it is, whatever strangers told before', () => {
    fc.assert(fc.property(fc.jsonValue(), isAsTold));
    for (let n = 0; n < 20_000; n += 1) expectSame(sharedValue({ stranger: n }), { stranger: n });
    fc.assert(fc.property(fc.jsonValue(), isAsTold));
  });

  test('two that say the same are one, and go on being one while they are met', () => {
    const caps = () => [{ encodings: ['L24', 'L16'], ratesHz: [48_000], channelsMax: 8 }];
    const first = sharedValue(caps());
    for (let n = 0; n < 20_000; n += 1) {
      sharedValue([n]);
      if (n % 1000 === 0) expect(sharedValue(caps())).toBe(first);
    }
    expect(sharedValue({ a: 1 })).not.toBe(sharedValue({ a: 2 }));
  });

  test('what is long is left as it is: no stranger fills the memory with it', () => {
    const long = () => ['x'.repeat(2000)];
    const first = sharedValue(long());
    expect(sharedValue(long())).not.toBe(first);
    expect(sharedValue(long())).toEqual(first);
  });
});
