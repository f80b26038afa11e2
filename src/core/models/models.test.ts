import fc from 'fast-check';
import { skerryPoint } from '../../demo/skerry-point';
import { MODEL_FILE_SCHEMA, modelFileOf, readModelFile } from '../formats/model-file';
import { planOfFile } from '../formats/plan-file';
import { recordProblem } from '../formats/read-plan-file';
import { valueOf } from '../plan/test-arbitrary';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';
import { reckon } from '../reckon/reckon';
import { CATALOGUE } from './catalogue';
import { modelDifferences } from './model-differences';
import { DEVICE_KINDS, models, type Model } from './models-table';
import { newModel } from './new-model';
import { unknownFiguresOf, type UnknownFigure } from './unknown-figures';

const arbitraryModel = valueOf(models.shape) as fc.Arbitrary<Model>;
const demo = planOfFile(skerryPoint());

/** The model with one figure not known, wherever in the record it stands. */
function without(model: Model, figure: UnknownFigure): Model {
  if (figure in model) return { ...model, [figure]: null };
  if (model.switching !== null && figure in model.switching) {
    return { ...model, switching: { ...model.switching, [figure]: null } };
  }
  return model.clock === null ? model : { ...model, clock: { ...model.clock, [figure]: null } };
}

const FIGURES: readonly UnknownFigure[] = [
  'streamsReceive',
  'streamsSend',
  'channelsPerStreamMax',
  'linkOffsetMinNs',
  'forwardingNs',
  'groupTableSize',
  'poeBudgetW',
  'holdoverSeconds',
  'relockMs',
  'freePpm',
];

describe('a figure that nobody knows', () => {
  test.each(FIGURES)(
    '%s: refuses no lane that fits with it, and is told once for all devices of the model',
    (figure) => {
      const before = reckon(demo);
      const models = [...demo.models.values()].map((m) => without(m, figure));
      const used = models.filter((m) => unknownFiguresOf(m).includes(figure));
      expect(used.length).toBeGreaterThan(0);
      const after = reckon(apply(demo, ...models.map((model) => ({ kind: 'put-model' as const, model }))));
      for (const [receiver, lanes] of after.lanesByReceiver) {
        for (const [channel, lane] of lanes) {
          if (lane.verdict === 'refused')
            expect(before.lanesByReceiver.get(receiver)?.get(channel)?.verdict).toBe('refused');
        }
      }
      const told = after.findings.flatMap((f) => (f.about === 'figures-unknown' ? [f.modelId] : []));
      const inUse = new Set([...demo.devices.values()].map((d) => d.modelId));
      expect(told.sort()).toEqual(
        used
          .map((m) => m.id)
          .filter((id) => inUse.has(id))
          .sort(),
      );
    },
  );

  test('a stream budget that is not known has no limit to show', () => {
    const open = modelNamed('amp-8', { streamsReceive: null });
    const plan = apply(planOf({ console: modelNamed('console-72'), amp: open }), feed('console', 1, 'amp', 1, 8));
    expect(reckon(plan).budgetByDevice.get('amp')?.streamsReceive).toEqual({ used: 1, limit: null });
  });

  test('streams of a device of which nobody knows how wide they may be are as wide as every device must take', () => {
    const open = modelNamed('console-72', { channelsPerStreamMax: null });
    const plan = apply(planOf({ console: open, rec: modelNamed('recorder-96') }), feed('console', 1, 'rec', 1, 16));
    expect(
      reckon(plan)
        .streamsBySender.get('console')
        ?.map((s) => s.channels.length),
    ).toEqual([8, 8]);
  });
});

describe('a new model', () => {
  test.each(DEVICE_KINDS)('of kind %s is one that a plan takes, and claims nothing that nobody said', (kind) => {
    const model = newModel('own', 'Own', kind);
    expect(recordProblem('models', structuredClone(model))).toBeNull();
    expect(model.channelsReceive + model.channelsSend).toBe(0);
    expect(model.switching?.snooping ?? false).toBe(false);
    if (kind !== 'switch' && kind !== 'clock') {
      expect(unknownFiguresOf(model)).toEqual([
        'streamsReceive',
        'streamsSend',
        'channelsPerStreamMax',
        'linkOffsetMinNs',
      ]);
    }
  });
});

describe('differences of two copies of a model', () => {
  test('there are none exactly when the copies are equal but for their ids', () => {
    fc.assert(
      fc.property(arbitraryModel, arbitraryModel, (a, b) => {
        expect(modelDifferences(a, { ...structuredClone(a), id: 'other' })).toEqual([]);
        const isSame = JSON.stringify({ ...a, id: '' }) === JSON.stringify({ ...b, id: '' });
        expect(modelDifferences(a, b).length === 0).toBe(isSame);
      }),
      { numRuns: 200 },
    );
  });

  test('each figure stands by itself, with both values; ports by their names', () => {
    const a = modelNamed('amp-8');
    const b: Model = {
      ...a,
      streamsReceive: 2,
      clock: { ...a.clock!, freePpm: null },
      ports: [{ ...a.ports[0]!, bitsPerSecond: 100e6 }, ...a.ports.slice(1, 2)],
    };
    expect(modelDifferences(a, b)).toEqual([
      { path: 'streamsReceive', before: 4, after: 2 },
      { path: 'ports.Media A', before: a.ports[0], after: b.ports[0] },
      { path: 'ports.Control', before: a.ports[2], after: undefined },
      { path: 'clock.freePpm', before: a.clock!.freePpm, after: null },
    ]);
  });

  test('a record that only one of the two has is one difference', () => {
    const a = modelNamed('slot-unit-4');
    expect(modelDifferences(a, { ...a, slots: null }).map((d) => d.path)).toEqual(['slots']);
  });

  test('ports in another order are told, though each is the same', () => {
    const a = modelNamed('amp-8');
    expect(modelDifferences(a, { ...a, ports: [...a.ports].reverse() }).map((d) => d.path)).toEqual(['ports']);
  });
});

describe('a file of models', () => {
  test('gives back what was put into it, every figure filled', () => {
    fc.assert(
      fc.property(fc.uniqueArray(arbitraryModel, { minLength: 1, maxLength: 4, selector: (m) => m.id }), (some) => {
        expect(readModelFile(JSON.stringify(modelFileOf(some)))).toEqual({ ok: true, models: some });
      }),
      { numRuns: 100 },
    );
    expect(readModelFile(JSON.stringify(modelFileOf(CATALOGUE)))).toMatchObject({ ok: true });
  });

  test('what is wrong in it is named by its place, and nothing is read', () => {
    const bad = modelFileOf([modelNamed('amp-8'), { ...modelNamed('amp-8'), channelsReceive: -1 }]);
    expect(readModelFile(JSON.stringify(bad))).toEqual({
      ok: false,
      problems: [{ at: '/models/1/channelsReceive', problem: 'must be >= 0' }],
    });
    const twice = modelFileOf([modelNamed('amp-8'), modelNamed('amp-8')]);
    expect(readModelFile(JSON.stringify(twice))).toMatchObject({ ok: false, problems: [{ at: '/models/1/id' }] });
    expect(readModelFile('{')).toMatchObject({ ok: false, problems: [{ at: '/' }] });
    expect(readModelFile('[]')).toMatchObject({ ok: false });
  });

  test('has a schema of its own', () => {
    expect(MODEL_FILE_SCHEMA.$schema).toContain('draft-07');
    expect(Object.keys(MODEL_FILE_SCHEMA['properties'] as object)).toEqual(['format', 'version', 'models']);
  });
});
