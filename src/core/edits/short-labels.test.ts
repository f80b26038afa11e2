import fc from 'fast-check';
import { nameFindings } from '../findings/names';
import { fieldNameFindings } from '../findings/field-names';
import { fixesFor } from '../findings/rules';
import { carryCommands, usesOfName } from './rename';
import { labelLimits, proposeShortLabels, shortened, shortenedApart } from './short-labels';
import { apply, feed, modelNamed, planOf } from '../plan/test-plan';

const naming = (labelMax: number, shortMax: number | null, subscribesByName = false) => ({
  naming: { labelMax, shortMax, subscribesByName },
});
const desk = modelNamed('console-72', naming(12, 6));
const label = (channel: number, text: string, short?: string) => ({
  channel,
  label: text,
  ...(short === undefined ? {} : { short }),
});

describe('short labels', () => {
  test('what fits stays; the number of a run stays; what is left can be read', () => {
    expect(shortened('Tide bell', 12)).toBe('Tide bell');
    expect(shortened('Presenter 12', 6)).toBe('Prsn12');
    expect(shortened('Hydrophone near', 8)).toBe('HdrphnNr');
    expect(shortened('Tank mic 3', 6)).toBe('TnkMc3');
    // The capital of this one would be two letters.
    expect(shortened('! ß', 2)).toBe('!ß');
  });

  test('law: never longer than asked for, never longer than it was, and the same every time', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'grapheme', maxLength: 60 }), fc.integer({ min: 1, max: 40 }), (text, max) => {
        const made = shortened(text, max);
        expect([...made].length).toBeLessThanOrEqual(Math.min(max, [...text].length));
        expect(shortened(text, max)).toBe(made);
      }),
    );
  });

  test('law: apart from what is taken, as long as there is room to count', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 30 }), fc.integer({ min: 3, max: 12 }), (text, max) => {
        const taken = new Set([shortened(text, max)]);
        expect(taken.has(shortenedApart(text, max, taken))).toBe(false);
      }),
    );
  });

  test('proposed for those that need one, each unlike the others', () => {
    const plan = apply(planOf({ desk }), {
      kind: 'label-channels',
      deviceId: 'desk',
      side: 'send',
      labels: [label(1, 'Bell'), label(2, 'Presenter'), label(3, 'Presenter desk'), label(4, 'Narration', 'Narr')],
    });
    const made = proposeShortLabels(plan, 'desk', 'send');
    expect(made.map((m) => m.channel)).toEqual([2, 3]);
    expect(new Set(made.map((m) => m.short)).size).toBe(2);
    const after = apply(plan, { kind: 'label-channels', deviceId: 'desk', side: 'send', labels: made });
    expect(proposeShortLabels(after, 'desk', 'send')).toEqual([]);
    const shorts = [...(after.labels.get('desk')?.values() ?? [])].map((l) => l.short);
    expect([shorts[0], shorts[3]]).toEqual([null, 'Narr']);
  });

  test('a label changed keeps its short one; a label taken away takes it along', () => {
    const put = (labels: object[]) => ({ kind: 'label-channels', deviceId: 'desk', side: 'send', labels }) as never;
    const plan = apply(planOf({ desk }), put([label(1, 'Tide bell', 'TBell')]));
    const other = apply(plan, put([label(1, 'Fog bell')]));
    expect(other.labels.get('desk')?.get('send/1')).toMatchObject({ label: 'Fog bell', short: 'TBell' });
    const none = apply(other, put([{ channel: 1, label: null }]));
    expect(none.labels.get('desk')?.get('send/1')).toBeUndefined();
  });

  test('labels longer than the device holds are found, and shortened', () => {
    const plan = apply(planOf({ desk }), {
      kind: 'label-channels',
      deviceId: 'desk',
      side: 'receive',
      labels: [label(1, 'Hydrophone far out'), label(2, 'Bell', 'Bellringer')],
    });
    expect(labelLimits(plan, 'desk')).toEqual({ labelMax: 12, shortMax: 6 });
    const findings = nameFindings(plan);
    expect(findings).toMatchObject([
      { about: 'labels-too-long', side: 'receive', isShort: false, limit: 12, channels: [1] },
      { about: 'labels-too-long', side: 'receive', isShort: true, limit: 6, channels: [2] },
    ]);
    const mended = findings.reduce((now, f) => apply(now, ...(fixesFor(now, f)[0]?.commands ?? [])), plan);
    expect(nameFindings(mended)).toEqual([]);
  });
});

describe('devices that subscribe by name', () => {
  const byName = modelNamed('intercom-1', naming(16, 8, true));
  const plan = apply(
    planOf({ desk, station: byName, amp: modelNamed('amp-8') }),
    feed('desk', 1, 'station', 1),
    feed('desk', 1, 'amp', 1, 2),
    { kind: 'label-channels', deviceId: 'amp', side: 'receive', labels: [label(1, 'from desk', 'desk')] },
  );

  test('a rename tells them, and carries both labels along', () => {
    const uses = usesOfName(plan, { deviceId: 'desk' }, 'console');
    expect(uses.byNameIds).toEqual(['station']);
    expect(uses.labels.map((l) => [l.label, l.isShort, l.renamed])).toEqual([
      ['from desk', false, 'from console'],
      ['desk', true, 'console'],
    ]);
    const after = apply(plan, ...carryCommands(plan, uses.labels));
    expect(after.labels.get('amp')?.get('receive/1')).toMatchObject({ label: 'from console', short: 'console' });
    expect(usesOfName(plan, { deviceId: 'desk', side: 'send', channel: 1 }, 'Bell').byNameIds).toEqual(['station']);
  });

  test('a sender that calls itself otherwise in the field is found where it is heard by name', () => {
    expect(fieldNameFindings(plan, new Map([['desk', 'desk']]))).toEqual([]);
    expect(fieldNameFindings(plan, new Map([['amp', 'other']]))).toEqual([]);
    const [finding] = fieldNameFindings(plan, new Map([['desk', 'Loft']]));
    expect(finding).toMatchObject({ about: 'heard-by-old-name', deviceIds: ['desk', 'station'], found: 'Loft' });
    const [fix] = fixesFor(plan, finding!);
    expect(fieldNameFindings(apply(plan, ...fix!.commands), new Map([['desk', 'Loft']]))).toEqual([]);
  });
});
