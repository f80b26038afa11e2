import { readNode } from '../core/formats/is04';
import { ClockWatch, type FoundClock } from './clock-watch';

const A = '001B19FFFE000001';
const B = '001B19FFFE000002';
const clock = (gmid: string | null, locked = true): FoundClock => ({ gmid, locked, traceable: false });
const look = (entries: Record<string, FoundClock>) => new Map(Object.entries(entries));

describe('what happens to the clocks of the field', () => {
  test('the first look is where it begins', () => {
    const watch = new ClockWatch();
    watch.note(look({ x: clock(A), y: clock(B) }), 1000);
    expect(watch.events()).toEqual([]);
    expect(watch.since('x')).toBe(1000);
  });

  test('a change of grandmaster of many devices is one event; a second grandmaster meanwhile is another', () => {
    const watch = new ClockWatch();
    watch.note(look({ x: clock(A), y: clock(A), z: clock(A) }), 1000);
    watch.note(look({ x: clock(B), y: clock(A), z: clock(A) }), 2000);
    expect(watch.events()).toEqual([
      { what: 'second-grandmaster', gmids: [A, B], at: 2000, deviceIds: ['x'] },
      { what: 'grandmaster-changed', from: A, to: B, at: 2000, deviceIds: ['x'] },
    ]);
    watch.note(look({ x: clock(B), y: clock(B), z: clock(B) }), 2500);
    expect(watch.events().map((e) => e.what)).toEqual(['one-grandmaster', 'second-grandmaster', 'grandmaster-changed']);
    expect(watch.events()[2]!.deviceIds).toEqual(['x', 'y', 'z']);
    expect(watch.since('y')).toBe(2500);
  });

  test('a lost lock is told, and nothing is told of devices that come or go', () => {
    const watch = new ClockWatch();
    watch.note(look({ x: clock(A) }), 1000);
    watch.note(look({ x: clock(A), y: clock(A) }), 2000);
    const list = watch.events();
    watch.note(look({ y: clock(A) }), 3000);
    expect(watch.events()).toBe(list);
    watch.note(look({ y: clock(A, false) }), 4000);
    expect(watch.events()[0]).toEqual({ what: 'lock-lost', at: 4000, deviceIds: ['y'] });
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
