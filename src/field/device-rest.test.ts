import { DeviceRest, LONGEST_REST_MS } from './device-rest';

const silent = { kind: 'timeout', afterMs: 3000 } as const;

describe('devices that do not answer are left in peace', () => {
  test('after two in a row, for five seconds, then ten, and at most thirty', () => {
    const rest = new DeviceRest();
    rest.note('amp', silent, 0);
    expect([rest.until('amp', 0), rest.isDoubtful('amp')]).toEqual([null, true]);
    rest.note('amp', silent, 1000);
    expect(rest.until('amp', 1000)).toBe(6000);
    // What was under way when the rest began says nothing new.
    rest.note('amp', silent, 2000);
    expect(rest.until('amp', 2000)).toBe(6000);
    rest.note('amp', silent, 7000);
    expect(rest.until('amp', 7000)).toBe(17_000);
    let now = 20_000;
    for (let n = 0; n < 5; n += 1, now += LONGEST_REST_MS + 1) rest.note('amp', silent, now);
    expect(rest.until('amp', now - LONGEST_REST_MS)).toBe(now - 1);
  });

  test('any answer ends it, a refusal too', () => {
    const rest = new DeviceRest();
    rest.note('amp', silent, 0);
    rest.note('amp', { kind: 'refused', status: 400, detail: '' }, 10);
    rest.note('amp', silent, 20);
    expect(rest.until('amp', 20)).toBeNull();
  });
});
