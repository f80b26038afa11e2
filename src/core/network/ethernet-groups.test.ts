import fc from 'fast-check';
import { EthernetGroups } from './ethernet-groups';

/** Few numbers, near and far from one another, so that they share pages and meet again. */
const bits = fc.oneof(fc.integer({ min: 0, max: 9 }), fc.constantFrom(8_191, 8_192, 8_193, 0x7ffffe, 0x7fffff));
const change = fc.record({ bits, isAdded: fc.boolean() });

describe('the groups that Ethernet tells apart', () => {
  test('law: a set holds just what was added and not taken away, and copies leave what they were made from as it was', () => {
    fc.assert(
      fc.property(fc.array(fc.array(change, { maxLength: 8 }), { minLength: 1, maxLength: 5 }), (rounds) => {
        const versions: { readonly groups: EthernetGroups; readonly held: ReadonlySet<number> }[] = [];
        let groups = EthernetGroups.none();
        const held = new Set<number>();
        for (const changes of rounds) {
          groups = versions.length === 0 ? groups : groups.copy();
          for (const { bits: one, isAdded } of changes) {
            if (isAdded) groups.add(one);
            else groups.remove(one);
            if (isAdded) held.add(one);
            else held.delete(one);
          }
          versions.push({ groups, held: new Set(held) });
        }
        for (const version of versions) {
          for (const one of [0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 8_191, 8_192, 8_193, 0x7ffffe, 0x7fffff, 12_345]) {
            expect(version.groups.has(one)).toBe(version.held.has(one));
          }
        }
      }),
    );
  });
});
