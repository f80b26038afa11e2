import fc from 'fast-check';
import { importPatch } from '../edits/import-patch';
import { labelOf, subscriptionsOf, type Plan } from '../plan/plan';
import { apply, deviceOf, feed, modelNamed, planOf } from '../plan/test-plan';
import { readPastedFeeds, readPatchList, writePatchList, writePatchRows } from './patch-list';
import { skerryPoint } from '../../demo/skerry-point';
import { planOfFile } from './plan-file';

const amp = modelNamed('amp-8');
const start = () => planOf({ desk: [modelNamed('console-72'), { name: 'Loft console' }], amp, amp2: amp });
const take = (plan: Plan, text: string) => importPatch(plan, readPatchList(text).rows);
const head = 'receiver,channel,label,sender,sender channel,sender label\r\n';
const refusals = (text: string) =>
  take(start(), text).items.flatMap((i) => (i.problem ? [`${i.line}: ${i.problem}`] : []));

describe('a patch list', () => {
  test('of the demo plan, read back, changes nothing', () => {
    const plan = planOfFile(skerryPoint());
    const { items, commands } = take(plan, writePatchList(plan));
    expect(items.filter((i) => i.verdict !== 'same')).toEqual([]);
    expect(commands).toEqual([]);
  });

  test('takes one plan into another exactly, lanes and labels, for any labels and names', () => {
    const label = fc.string({ minLength: 1, maxLength: 12 }).filter((s) => !s.includes('\u0000'));
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 1, max: 8 }), fc.integer({ min: 1, max: 72 })), { maxLength: 8 }),
        fc.array(fc.tuple(fc.integer({ min: 1, max: 8 }), label, fc.option(label)), { maxLength: 5 }),
        fc.string({ minLength: 1, maxLength: 20 }).filter((s) => s.trim() !== '' && !s.includes('\u0000')),
        (lanes, labels, name) => {
          const named = (plan: Plan) => apply(plan, { kind: 'change-device', deviceId: 'desk', change: { name } });
          const plan = apply(named(start()), ...lanes.map(([to, from]) => feed('desk', from, 'amp', to)), {
            kind: 'label-channels' as const,
            deviceId: 'amp',
            side: 'receive' as const,
            labels: labels.map(([channel, text, short]) => ({ channel, label: text, short })),
          });
          const other = apply(named(start()), feed('desk', 9, 'amp', 1, 8));
          const taken = apply(other, ...take(other, writePatchList(plan)).commands);
          expect(writePatchList(taken)).toBe(writePatchList(plan));
          expect(subscriptionsOf(taken, 'amp')).toEqual(subscriptionsOf(plan, 'amp'));
        },
      ),
      { numRuns: 60 },
    );
  });

  test('a short label stands beside a label, new or there already, or is refused', () => {
    const plan = apply(start(), {
      kind: 'label-channels',
      deviceId: 'amp',
      side: 'receive',
      labels: [{ channel: 1, label: 'North arc 1', short: 'N1' }],
    });
    const after = apply(
      plan,
      ...take(plan, 'receiver,channel,label,short label\namp,1,,Arc1\namp,2,North arc 2,Arc2\n').commands,
    );
    expect([...(after.labels.get('amp')?.values() ?? [])].map((l) => [l.label, l.short])).toEqual([
      ['North arc 1', 'Arc1'],
      ['North arc 2', 'Arc2'],
    ]);
    expect(take(plan, 'receiver,channel,short label\namp,3,Arc3\namp,1,\n').items).toMatchObject([
      { verdict: 'refused', problem: 'a short label needs a label beside it' },
      { verdict: 'same' },
    ]);
  });

  test('may leave columns out: what is not said is left alone', () => {
    const plan = apply(start(), feed('desk', 1, 'amp', 1, 2), {
      kind: 'label-channels',
      deviceId: 'amp',
      side: 'receive',
      labels: [{ channel: 1, label: 'Arc N1' }],
    });
    expect(take(plan, 'receiver,channel\namp,1\n').commands).toEqual([]);
    const after = apply(plan, ...take(plan, 'sender;receiver;sender channel;channel\nloft CONSOLE;amp;7;1\n').commands);
    expect(subscriptionsOf(after, 'amp').get(1)?.senderChannel).toBe(7);
    expect(labelOf(after, 'amp', 'receive', 1)).toBe('Arc N1');
    const cleared = apply(plan, ...take(plan, 'receiver,channel,sender\namp,1,\n').commands);
    expect([...subscriptionsOf(cleared, 'amp').keys()]).toEqual([2]);
  });

  test('devices of one name are told apart by id, and a name that does not decide is refused', () => {
    const plan = apply(start(), { kind: 'add-device', device: deviceOf('amp3', amp, { name: 'amp2' }) });
    expect(writePatchRows(plan, [{ deviceId: 'amp3', channel: 1 }]).split('\r\n')[1]).toBe('amp3,1,,,,,');
    const twins = apply(start(), {
      kind: 'change-device',
      deviceId: 'amp2',
      change: { name: 'Stack' },
    });
    const both = apply(twins, { kind: 'change-device', deviceId: 'amp', change: { name: 'stack' } });
    expect(take(both, 'receiver,channel\nStack,1\n').items[0]?.problem).toMatch(/several devices/);
  });

  test.each([
    ['nobody,1,,,,', '2: no device is called “nobody”'],
    ['amp,9,,,,', '2: channel “9” is not one of 1 to 8'],
    ['amp,one,,,,', '2: channel “one” is not one of 1 to 8'],
    [',1,,,,', '2: no receiver is named'],
    ['amp,1,,nobody,1,', '2: no device is called “nobody”'],
    ['amp,1,,Loft console,73,', '2: “Loft console” sends channels 1 to 72, not 73'],
    ['amp,1,,Loft console,Moon,', '2: “Loft console” has no channel labelled “Moon”'],
    [`amp,1,${'x'.repeat(81)},,,`, '2: a label is longer than 80 characters'],
    ['amp,1,,,,\r\namp,1,,,,', '3: the channel is listed twice, first in line 2'],
    ['amp,1,,desk,1,Bell\r\namp,2,,desk,1,Gong', '3: line 2 calls the same sender channel “Bell”'],
  ])('names a bad line: %s', (line, problem) => expect(refusals(head + line)).toEqual([problem]));

  test('a bad line does not hold up a good one', () => {
    const { items, commands } = take(start(), `${head}nobody,1,,,,\r\namp,2,,desk,5,\r\n`);
    expect(items.map((i) => i.verdict)).toEqual(['refused', 'differs']);
    expect(commands).toEqual([feed('desk', 5, 'amp', 2)]);
  });

  test.each([
    ['', 'the file is empty'],
    ['PK\u0003\u0004\u0000', 'this is not a text file'],
    [
      'device;number\n1;2',
      'the column “receiver” is missing; the columns are receiver, channel, label, sender, sender channel, sender label, short label',
    ],
  ])('says what is wrong with the whole of %j', (text, problem) => {
    const { rows, problems } = readPatchList(text);
    expect(rows).toEqual([]);
    expect(problems.at(-1)?.problem).toBe(problem);
  });

  test('a quote that is never closed is named', () => {
    expect(
      readPatchList('receiver,channel\n"amp,1\n')
        .problems.map((p) => p.problem)
        .join(),
    ).toMatch(/[Qq]uote/);
  });

  test('any text whatever is read without falling over, and changes nothing but what its good lines say', () => {
    fc.assert(
      fc.property(fc.string({ unit: 'binary', maxLength: 200 }), (text) => {
        const { items, commands } = take(start(), head + text);
        if (items.every((i) => i.verdict !== 'differs')) expect(commands).toEqual([]);
      }),
    );
  });
});

describe('a pasted block', () => {
  const plan = apply(start(), {
    kind: 'label-channels',
    deviceId: 'desk',
    side: 'send',
    labels: [
      { channel: 4, label: 'Tide bell' },
      { channel: 5, label: 'Twin' },
      { channel: 6, label: 'twin' },
    ],
  });
  const at = (channel: number) => ({ deviceId: 'desk', channel });

  test('that was copied from the sheet feeds what its rows hear', () => {
    const fed = apply(plan, feed('desk', 3, 'amp', 1, 2));
    const block = [1, 2, 3].map((channel) => ({ deviceId: 'amp', channel }));
    expect(readPastedFeeds(fed, writePatchRows(fed, block, '\t')).feeds).toEqual([at(3), at(4), null]);
  });

  test.each([
    ['Loft console\t7', at(7)],
    ['loft console\tTide Bell', at(4)],
    ['Loft console · Tide bell', at(4)],
    ['Loft console · out 9', at(9)],
    ['Tide bell', at(4)],
    ['\t', null],
    ['amp\t1\tArc\tLoft console\t8\t', at(8)],
  ])('without a header, %j', (text, expected) => expect(readPastedFeeds(plan, text).feeds).toEqual([expected]));

  test('a line that cannot be read is named and leaves its channel alone', () => {
    const { feeds, problems } = readPastedFeeds(plan, 'Tide bell\nTwin\nGulls\r\n');
    expect(feeds).toEqual([at(4), 'skip', 'skip']);
    expect(problems).toEqual([
      { line: 2, problem: '2 sender channels are labelled “Twin”' },
      { line: 3, problem: 'no sender channel is labelled “Gulls”' },
    ]);
  });
});
