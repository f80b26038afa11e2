import fc from 'fast-check';
import { fileOfPlan } from '../formats/plan-file';
import { readPlanFile } from '../formats/read-plan-file';
import { recordProblem } from '../formats/read-plan-file';
import { planOf, modelNamed } from './test-plan';
import { makeVisible, mayHide, visible } from './visible-text';

describe('names hold what can be seen', () => {
  test.each([
    'Amp\u202e5',
    'Amp\u0000',
    'Amp\n5',
    'Amp\u2066',
    'Amp\u200f',
    'Amp\u0085',
    'Am\u200bp',
    '\u200d',
    '\u3000 ',
    'Amp\ud800',
    '\udc00',
    '\u{e0041}Amp',
    '\u3164',
  ])('%j is refused as a name', (name) => {
    expect(recordProblem('places', { id: 'x', name, parentId: null })).toMatchObject({
      at: '/name',
      problem: 'holds characters that cannot be seen, such as line ends or marks of writing direction, or nothing else',
    });
  });

  test.each(['Ampère 5', '舞台', 'مسرح', '👩‍🚀', 'a\u200db'])('%s is a name', (name) => {
    expect(recordProblem('places', { id: 'x', name, parentId: null })).toBeNull();
  });

  test('notes have as many lines as one likes', () => {
    const device = planOf({ amp: [modelNamed('amp-8'), {}] }).devices.get('amp');
    expect(recordProblem('devices', { ...device, notes: 'one\n\ttwo' })).toBeNull();
    expect(recordProblem('devices', { ...device, notes: 'one\u202etwo' })).toMatchObject({ at: '/notes' });
  });

  test('names that show nothing, and halves of characters, were once taken: such a plan opens and saves', () => {
    const value = { name: ' \u200d', label: '\ud800', notes: ' ' };
    makeVisible(value);
    expect(value).toEqual({ name: '\ufffd', label: '\ufffd', notes: ' ' });
  });

  test('a file from before opens, with a sign for each', () => {
    const file = fileOfPlan(planOf({ amp: [modelNamed('amp-8'), {}] }));
    const old = { ...file, devices: file.devices.map((d) => ({ ...d, name: 'Amp\u202e5', notes: 'a\nb' })) };
    const read = readPlanFile(JSON.stringify(old));
    expect(read.ok && [...read.plan.devices.values()].map((d) => [d.name, d.notes])).toEqual([['Amp\ufffd5', 'a\nb']]);
  });

  test('a document that may hold any is always looked through', () => {
    fc.assert(
      fc.property(fc.array(fc.string({ unit: 'binary', maxLength: 6 })), (texts) => {
        const value = { texts };
        const json = JSON.stringify(value);
        const before = structuredClone(value);
        makeVisible(value);
        if (JSON.stringify(before) !== JSON.stringify(value)) expect(mayHide(json)).toBe(true);
        for (const text of value.texts) expect(visible(text)).toBe(text);
      }),
    );
  });
});
