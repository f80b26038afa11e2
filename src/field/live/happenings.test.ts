import { readNode, type FoundClock } from '../../core/formats/is04';
import { clockHappenings } from './clock-happenings';
import { EventLog, type Happening, type LiveEvent } from './happenings';

const A = '001B19FFFE000001';
const B = '001B19FFFE000002';
const clock = (gmid: string | null, locked = true): FoundClock => ({ gmid, locked, traceable: false });
const look = (entries: Record<string, FoundClock>) => new Map(Object.entries(entries));

function log() {
  const kept = new Map<number, Happening>();
  const store = {
    add: (happening: Happening) => {
      kept.set(kept.size + 1, happening);
      return kept.size;
    },
    grow: ({ id, at: _, ...happening }: LiveEvent) => void kept.set(id, happening),
  };
  return { kept, events: new EventLog([], store) };
}

describe('what happens to the clocks of the field', () => {
  test('a change of grandmaster of many devices is one event; a second grandmaster meanwhile is another', () => {
    const { events, kept } = log();
    const looks = [
      look({ x: clock(A), y: clock(A), z: clock(A) }),
      look({ x: clock(B), y: clock(A), z: clock(A) }),
      look({ x: clock(B), y: clock(B), z: clock(B) }),
    ] as const;
    events.note(clockHappenings(looks[0], looks[1]), 2000);
    expect(events.events()).toEqual([
      { id: 2, what: 'second-grandmaster', gmids: [A, B], at: 2000, deviceIds: ['x'] },
      { id: 1, what: 'grandmaster-changed', from: A, to: B, at: 2000, deviceIds: ['x'] },
    ]);
    const grown = events.note(clockHappenings(looks[1], looks[2]), 2500);
    expect(events.events().map((e) => e.what)).toEqual([
      'one-grandmaster',
      'second-grandmaster',
      'grandmaster-changed',
    ]);
    expect(grown).toContainEqual({
      id: 1,
      what: 'grandmaster-changed',
      from: A,
      to: B,
      at: 2000,
      deviceIds: ['x', 'y', 'z'],
    });
    expect(kept.get(1)).toMatchObject({ deviceIds: ['x', 'y', 'z'] });
  });

  test('clocks that go to and fro are one entry that counts; after a minute of rest it is another', () => {
    const { events, kept } = log();
    const flap = (at: number) =>
      events.note(clockHappenings(look({ x: clock(A) }), look({ x: clock(A, false) })), at).map((e) => [e.id, e.times]);
    expect([flap(0), flap(2000), flap(10_000), flap(60_000), flap(130_000)]).toEqual([
      [[1, undefined]],
      [[1, undefined]],
      [[1, 2]],
      [[1, 3]],
      [[2, undefined]],
    ]);
    expect(events.events().map((e) => [e.id, e.at, e.lastAt])).toEqual([
      [2, 130_000, undefined],
      [1, 0, 60_000],
    ]);
    expect(kept.get(1)).toMatchObject({ what: 'lock-lost', times: 3 });
  });

  test('a lost lock is reported, and nothing is said of devices that come or go', () => {
    expect(clockHappenings(look({ x: clock(A) }), look({ x: clock(A), y: clock(A) }))).toEqual([]);
    expect(clockHappenings(look({ x: clock(A), y: clock(A) }), look({ y: clock(A) }))).toEqual([]);
    expect(clockHappenings(look({ y: clock(A) }), look({ y: clock(A, false) }))).toEqual([
      { what: 'lock-lost', deviceIds: ['y'] },
    ]);
  });
});

describe('the journal of the field', () => {
  const gone = (...deviceIds: string[]): Happening => ({ what: 'devices-gone', deviceIds });

  test('what happens alike within a moment is one event; later it is another', () => {
    const { events, kept } = log();
    events.note([gone('a')], 0);
    events.note([gone('b', 'a')], 3000);
    events.note([gone('c')], 3001);
    expect(events.events()).toEqual([
      { id: 2, at: 3001, ...gone('c') },
      { id: 1, at: 0, ...gone('a', 'b') },
    ]);
    expect(kept.size).toBe(2);
  });

  test('going and coming back are told apart', () => {
    const { events } = log();
    expect(events.note([gone('a'), { what: 'devices-back', deviceIds: ['a'] }], 5)).toHaveLength(2);
  });

  test('it shows the newest fifty and keeps them all', () => {
    const { events, kept } = log();
    for (let n = 0; n < 60; n += 1) events.note([gone(`d${n}`)], n * 10_000);
    expect([events.events().length, kept.size]).toEqual([50, 60]);
    expect(events.events()[0]).toMatchObject({ deviceIds: ['d59'] });
  });
});

test('the clocks of a node are read as IS-04 writes them, and what is no clock is passed over', () => {
  const of = (clocks: unknown) => readNode({ id: 'n', clocks }).clock;
  const ptp = { name: 'clk1', ref_type: 'ptp', gmid: '00-1b-19-ff-fe-00-00-01', locked: true, traceable: true };
  expect(of([{ name: 'clk0', ref_type: 'internal' }, ptp])).toEqual({ gmid: A, locked: true, traceable: true });
  expect(of([{ name: 'clk0', ref_type: 'internal' }])).toEqual({ gmid: null, locked: false, traceable: false });
  expect(of([{ ...ptp, gmid: 'nonsense' }])).toEqual({ gmid: null, locked: false, traceable: false });
  expect(of(undefined)).toBeNull();
  expect(of('none')).toBeNull();
});
