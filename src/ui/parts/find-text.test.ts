import fc from 'fast-check';
import { bestFirst, filtered, searchFor } from './find-text';

const pass = (typed: string, ...rows: string[]) => filtered(rows, searchFor(typed), (r) => r);

describe('what is typed into a filter', () => {
  test('a number is that number, with or without zeros in front, until nothing is called so', () => {
    const amps = ['Dome amp 1', 'Dome amp 2', 'Dome amp 10', 'Dome amp 21', 'Wave amp 01'];
    expect(pass('amp 1', ...amps)).toEqual(['Dome amp 1', 'Wave amp 01']);
    expect(pass('amp 2', ...amps)).toEqual(['Dome amp 2']);
    expect(pass('amp 10', ...amps)).toEqual(['Dome amp 10']);
    expect(pass('amp 0', 'Dome amp 10', 'Dome amp 20')).toEqual(['Dome amp 10', 'Dome amp 20']);
  });

  test('words count from their beginning, in any order; anywhere only where nothing begins so', () => {
    expect(pass('amp', 'Dome amp', 'Lamp', 'Amplifier')).toEqual(['Dome amp', 'Amplifier']);
    expect(pass('rack north', 'North rack', 'Northern racket', 'Wreck')).toEqual(['North rack', 'Northern racket']);
    expect(pass('lifier', 'Dome amp', 'Amplifier')).toEqual(['Amplifier']);
    expect(pass('71.36', '10.71.36.11', '10.72.36.71')).toEqual(['10.71.36.11']);
  });

  test('what stands in quotes is looked for as it is, while the quote is still open too', () => {
    const rows = ['Tank mic 1', 'Mic of the tank 1', 'Tank mic 12'];
    expect(pass('"tank mic 1"', ...rows)).toEqual(['Tank mic 1', 'Tank mic 12']);
    expect(pass('"tank mic', ...rows)).toEqual(['Tank mic 1', 'Tank mic 12']);
    expect(pass('"of the" tank', ...rows)).toEqual(['Mic of the tank 1']);
    expect(pass('""', ...rows)).toEqual(rows);
  });

  test('words that stand beside each other come first, and a number after them is theirs', () => {
    const rows = ['Dome amp 1 Channel 05 Dome', 'Dome amp 05 Channel 1 Dome', 'Tank return 3 of the mic'];
    expect(pass('dome amp 5', ...rows)).toEqual([rows[1]]);
    expect(bestFirst(rows, searchFor('dome amp 5'), (r) => r)).toEqual([rows[1], rows[0]]);
    // In another order the words count each by itself, as ever.
    expect(pass('5 dome amp', ...rows)).toEqual(rows.slice(0, 2));
    const mics = ['Reverb, Tank return 3, mic', 'Tank mic 13', 'Tank mic 3'];
    expect(bestFirst(mics, searchFor('tank mic 3'), (r) => r)[0]).toBe('Tank mic 3');
  });

  test('a slip of the keyboard is forgiven where nothing passes without; a number is not', () => {
    const rows = ['Hydrophone near', 'Hydrophone 3', 'Tank mic 13', 'Tank mic 3'];
    for (const slip of ['hidrophone', 'hydrphone', 'hydropphone', 'hydorphone'])
      expect(pass(slip, ...rows)).toEqual(rows.slice(0, 2));
    expect(pass('tnak mic 3', ...rows)).toEqual(['Tank mic 3']);
    expect(pass('tank mic 4', ...rows)).toEqual([]);
    expect(pass('qqqq', ...rows)).toEqual([]);
  });

  test('the best match comes first where the order is free', () => {
    const rows = ['Lamp', 'Amplifier', 'Amp', 'Dome'];
    expect(bestFirst(rows, searchFor('amp'), (r) => r)).toEqual(['Amp', 'Amplifier', 'Lamp']);
  });

  test('law: what a row is called finds it, word for word, in any order and quoted; nothing typed throws', () => {
    const word = fc.stringMatching(/^[a-z0-9]{1,6}$/);
    fc.assert(
      fc.property(fc.array(word, { minLength: 1, maxLength: 4 }), fc.array(word, { maxLength: 4 }), (name, other) => {
        const rows = [name.join(' '), other.join(' ')];
        expect(pass([...name].reverse().join(' '), ...rows)).toContain(rows[0]);
        expect(pass(`"${name.join(' ')}"`, ...rows)).toContain(rows[0]);
        expect(bestFirst(rows, searchFor(name.join(' ')), (r) => r)[0]).toBeDefined();
      }),
    );
    fc.assert(fc.property(fc.string(), fc.string(), (typed, row) => void pass(typed, row)));
  });
});
