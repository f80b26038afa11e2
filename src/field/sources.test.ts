import fc from 'fast-check';
import { together, type SourceEvents } from './sources';

const IDS = ['a', 'b', 'c', 'd'] as const;
const id = fc.constantFrom(...IDS);
const source = fc.constantFrom(0, 1, 2);
const step = fc.oneof(
  fc.record({ what: fc.constant('comes' as const), source, id }),
  fc.record({ what: fc.constant('goes' as const), source, id }),
  /** It has changed unseen, and is read in full. */
  fc.record({ what: fc.constant('read' as const), source, ids: fc.uniqueArray(id) }),
  fc.record({ what: fc.constant('lost' as const), source }),
  fc.record({ what: fc.constant('back' as const), source }),
);

/** Three sources as one, and what whoever listens makes of them. */
function joined() {
  const tells: SourceEvents[] = [];
  const there = new Set<string>();
  let isConnected = false;
  let reason = '';
  const make = (events: SourceEvents) => {
    tells.push(events);
    return { start() {}, stop() {}, readAll: () => Promise.resolve(), resources: () => Promise.resolve({}) };
  };
  together([make, make, make])(
    {
      page: (_, resources) => resources.forEach((r) => there.add(String(r['id']))),
      full: (_, ids) => [...there].forEach((known) => ids.has(known) || there.delete(known)),
      changed: (_, changed, post) => void (post === null ? there.delete(changed) : there.add(changed)),
      connected: () => (isConnected = true),
      disconnected: (because) => {
        isConnected = false;
        reason = because;
      },
    },
    () => true,
  );
  return { tells, there, isConnected: () => isConnected, reason: () => reason };
}

describe('several sources as one', () => {
  test('law: what any of them has is there, and it is connected while any of them is', () => {
    fc.assert(
      fc.property(fc.array(step, { maxLength: 40 }), (steps) => {
        const { tells, there, isConnected } = joined();
        const has = tells.map(() => new Set<string>());
        const connected = tells.map(() => false);
        const readAll = (n: number, ids: Iterable<string>) => {
          has[n] = new Set(ids);
          const own = [...(has[n] as Set<string>)].map((one) => ({ id: one }));
          tells[n]!.page('nodes', own, `source ${n}`);
          tells[n]!.full('nodes', new Set(has[n]));
        };
        tells.forEach((_, n) => readAll(n, []));
        for (const s of steps) {
          const own = has[s.source] as Set<string>;
          const tell = tells[s.source] as SourceEvents;
          if (s.what === 'comes') {
            own.add(s.id);
            tell.changed('nodes', s.id, { id: s.id }, '');
          } else if (s.what === 'goes') {
            own.delete(s.id);
            tell.changed('nodes', s.id, null, '');
          } else if (s.what === 'read') readAll(s.source, s.ids);
          else {
            connected[s.source] = s.what === 'back';
            if (s.what === 'back') tell.connected();
            else tell.disconnected('gone');
          }
          expect([...there].sort()).toEqual([...new Set(has.flatMap((h) => [...h]))].sort());
          expect(isConnected()).toBe(connected.includes(true));
        }
      }),
    );
  });

  test('while another that is connected has not read a kind yet nothing of it is taken for gone', () => {
    const { tells, there } = joined();
    tells[0]!.page('nodes', [{ id: 'a' }], '');
    tells[1]!.connected();
    tells[0]!.full('nodes', new Set());
    expect([...there]).toEqual(['a']);
    tells[1]!.full('nodes', new Set(['a']));
    tells[0]!.full('nodes', new Set());
    expect([...there]).toEqual(['a']);
    tells[1]!.changed('nodes', 'a', null, '');
    expect([...there]).toEqual([]);
  });

  test('only what has something to say gives the reason', () => {
    const { tells, reason } = joined();
    tells[0]!.disconnected('the registry does not answer');
    expect(reason()).toBe('the registry does not answer');
    tells[1]!.disconnected('');
    expect(reason()).toBe('the registry does not answer');
    tells[2]!.disconnected('no node answers');
    expect(reason()).toBe('the registry does not answer; no node answers');
  });
});
