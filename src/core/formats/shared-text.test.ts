import fc from 'fast-check';
import { expectSame } from '../plan/test-same';
import { sharedText } from './shared-text';

describe('texts that come again and again', () => {
  test('law: a text stays what it is, whatever strangers have filled the list with', () => {
    for (let n = 0; n < 20_000; n += 1) expectSame(sharedText(`stranger ${n}`), `stranger ${n}`);
    fc.assert(fc.property(fc.oneof(fc.string(), fc.string({ minLength: 81 })), (text) => sharedText(text) === text));
  });
});
