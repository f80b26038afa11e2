import fc from 'fast-check';
import { skerryPoint } from '../../demo/skerry-point';
import { arbitraryPlan } from '../plan/test-arbitrary';
import { brokenPlan } from '../plan/test-breaks';
import { ENCODINGS, PACKET_TIMES_US, RATES_HZ } from '../streams/format';
import { maxChannelsInPacket } from '../streams/wire';
import { PLAN_FILE_VERSIONS } from '../plan/plan-file-version';
import { soundPlan } from '../plan/integrity';
import { declarationOf, TABLE_NAMES, type TableName } from '../plan/tables';
import { fileOfPlan, planFileText, planOfFile, type PlanFile } from './plan-file';
import { readPlanFile } from './read-plan-file';
import { readSdp, writeSdp, type SdpAudio } from './sdp';
import { expectSame } from '../plan/test-same';

const GOOD = `v=0
o=- 1311738121 1 IN IP4 192.168.1.1
s=Stage left I/O
c=IN IP4 239.0.0.1/32
t=0 0
m=audio 5004 RTP/AVP 96
i=Channels 1-8
a=rtpmap:96 L24/48000/8
a=recvonly
a=ptime:1
a=ts-refclk:ptp=IEEE1588-2008:39-A7-94-FF-FE-07-CB-D0:0
a=mediaclk:direct=963214424
`;

const byte = fc.integer({ min: 1, max: 254 });
const ip = (first: number) => fc.tuple(byte, byte, byte).map(([b, c, d]) => `${first}.${b}.${c}.${d}`);
const leg = (mid: string | null) =>
  fc
    .record({
      mid: fc.constant(mid),
      group: ip(239),
      ttl: fc.integer({ min: 1, max: 255 }),
      port: fc.integer({ min: 512, max: 32_000 }).map((n) => n * 2),
      sourceAddress: fc.option(ip(10)),
      moreSources: fc.array(ip(10), { maxLength: 2 }),
    })
    .map(({ moreSources, ...rest }) =>
      rest.sourceAddress === null || moreSources.length === 0 ? rest : { ...rest, moreSources },
    );
const audio: fc.Arbitrary<SdpAudio> = fc
  .record({
    encoding: fc.constantFrom(...ENCODINGS),
    rateHz: fc.constantFrom(...RATES_HZ),
    packetTimeUs: fc.constantFrom(...PACKET_TIMES_US),
  })
  .filter((format) => maxChannelsInPacket(format) >= 2)
  .chain((format) =>
    fc.record({
      name: fc.stringMatching(/^[A-Za-z0-9][A-Za-z0-9 ]{0,20}[A-Za-z0-9]$/),
      origin: fc.record({
        username: fc.constant('-'),
        sessionId: fc.integer({ min: 1, max: 2 ** 31 }).map(String),
        version: fc.nat(),
        address: ip(10),
      }),
      payloadType: fc.integer({ min: 96, max: 127 }),
      format: fc.constant(format),
      channels: fc.integer({ min: 1, max: Math.floor(maxChannelsInPacket(format) / 2) }).map((n) => n * 2),
      mediaClockOffset: fc.option(fc.nat()),
      referenceClock: fc.option(
        fc.constantFrom(
          'ptp=IEEE1588-2008:39-A7-94-FF-FE-07-CB-D0:0',
          'ptp=IEEE1588-2008:traceable',
          'localmac=02-00-00-00-00-01',
        ),
      ),
      channelOrder: fc.option(fc.constantFrom('SMPTE2110.(ST)', 'SMPTE2110.(51,ST)')),
      // Two legs never go to the same group and port.
      legs: fc.oneof(
        fc.tuple(leg(null)),
        fc.tuple(leg('A'), leg('B')).filter(([a, b]) => a.group !== b.group || a.port !== b.port),
      ),
    }),
  );

describe('SDP', () => {
  test('what is written is read back the same, with one leg or two', () => {
    fc.assert(fc.property(audio, (a) => expect(readSdp(writeSdp(a)).audio).toEqual(a)));
  });

  test('a session with its connection at session level is read', () => {
    const { audio: read, problems } = readSdp(GOOD);
    expect(problems).toEqual([]);
    expect(read).toMatchObject({
      name: 'Stage left I/O',
      channels: 8,
      mediaClockOffset: 963214424,
      format: { encoding: 'L24', rateHz: 48_000, packetTimeUs: 1000 },
    });
    expect(read?.legs).toEqual([{ mid: null, group: '239.0.0.1', ttl: 32, port: 5004, sourceAddress: null }]);
  });

  test.each([
    ['an encoding we do not know', GOOD.replace('L24/', 'OPUS/'), /encoding OPUS/, 8],
    ['a rate we do not know', GOOD.replace('48000', '32000'), /rate 32000/, 8],
    ['more channels than a packet holds', GOOD.replace('48000/8', '48000/16'), /at most 10 channels/, 8],
    ['a packet time that is none', GOOD.replace('ptime:1', 'ptime:20'), /packet time 20 ms/, 10],
    ['a static payload type', GOOD.replace('AVP 96', 'AVP 11').replace('rtpmap:96', 'rtpmap:11'), /payload type 11/, 6],
    ['no address', GOOD.replace('239.0.0.1/32', 'nowhere'), /no IPv4 address/, 4],
    ['no audio', GOOD.replace('m=audio', 'm=video'), /no m=audio/, 6],
    ['two media that nothing joins', `${GOOD}${GOOD.split('\n').slice(5).join('\n')}`, /without a=group:DUP/, 6],
    ['nothing at all', 'hello', /does not begin with v=0/, null],
  ])('%s: the problem is told with its line', (_, text, words, line) => {
    const { audio: read, problems } = readSdp(text);
    expect(read).toBeNull();
    const problem = problems[problems.length - 1];
    expect(problem).toMatchObject({ severity: 'error', line });
    expect(problem?.problem).toMatch(words);
  });

  test('what is odd but can be understood is read, with what is odd', () => {
    const { audio: read, problems } = readSdp(
      GOOD.replace('a=ptime:1\n', '')
        .replace('5004', '5005')
        .replace(/a=ts-refclk.*\n/, ''),
    );
    expect(read?.format.packetTimeUs).toBe(1000);
    expect(problems.map((p) => p.problem).join()).toMatch(/no a=ptime.*odd.*no a=ts-refclk/);
    expect(problems.map((p) => p.severity)).toEqual(['note', 'caution', 'caution']);
  });

  test.each([
    [10, 2],
    [11, 1],
  ])('RFC 3551, table 4: payload type %d needs no a=rtpmap and is no error', (type, channels) => {
    const text = GOOD.replace('AVP 96', `AVP ${type}`)
      .replace(/a=rtpmap.*\n/, '')
      .replace('ptime:1', 'ptime:1.09');
    const { audio: read, problems } = readSdp(text);
    expect(read).toMatchObject({ channels, format: { encoding: 'L16', rateHz: 44_100 } });
    expect(problems.map((p) => p.severity)).toEqual(['note']);
  });

  // General media tools know nothing of AES67: no clock, no packet time, attributes of their own. What they send can still be heard.
  test.each([
    [
      'only the address, the format and a bandwidth',
      `v=0
o=- 0 0 IN IP4 127.0.0.1
s=No Name
c=IN IP4 239.71.3.4/32
t=0 0
a=tool:media library 60.16.100
m=audio 5004 RTP/AVP 97
b=AS:2304
a=rtpmap:97 L24/48000/2
`,
      { name: 'No Name', channels: 2, referenceClock: null, format: { encoding: 'L24', packetTimeUs: 1000 } },
      ['note', 'note', 'caution'],
    ],
    [
      'a pipeline with clock, frames and its own attributes',
      `v=0
o=user 1188340656180883 1 IN IP4 10.71.36.9
s=Pipeline output
i=from a pipeline
t=0 0
a=tool:pipeline
a=type:broadcast
a=recvonly
m=audio 5004 RTP/AVP 96
c=IN IP4 239.71.3.5/15
b=AS:2400
a=rtpmap:96 L24/48000/2
a=framecount:6
a=ts-refclk:ptp=IEEE1588-2008:39-A7-94-FF-FE-07-CB-D0:0
a=mediaclk:direct=0
a=fmtp:96 channel-order=unpositioned
a=ssrc:1234567 cname:user123@host-9
`,
      { channels: 2, mediaClockOffset: 0, format: { encoding: 'L24', rateHz: 48_000, packetTimeUs: 125 } },
      [],
    ],
    [
      'a picture beside the sound, and a static payload type',
      `v=0
o=- 3911870000 3911870000 IN IP4 10.71.36.9
s=Played stream
c=IN IP4 239.71.3.6
t=0 0
a=sendonly
m=video 5006 RTP/AVP 98
a=rtpmap:98 H264/90000
a=fmtp:98 packetization-mode=1
m=audio 5004 RTP/AVP 10
a=control:streamid=1
`,
      { channels: 2, payloadType: 10, format: { encoding: 'L16', rateHz: 44_100 } },
      // A group without a time to live, too.
      ['note', 'note', 'caution', 'note', 'caution'],
    ],
  ])('SDP of general media tools is read: %s', (_, text, expected, severities) => {
    const { audio: read, problems } = readSdp(text);
    expect(read).toMatchObject(expected);
    expect(problems.map((p) => p.severity)).toEqual(severities);
    // As they write their lines, too.
    expect(readSdp(text.replaceAll('\n', '\r\n')).audio).toEqual(read);
  });

  test('RFC 8866, 6.6: names of encodings are alike in capitals and small letters', () => {
    expect(readSdp(GOOD.replace('L24/', 'l24/')).audio?.format.encoding).toBe('L24');
  });

  test('a packet time may be told by its frames', () => {
    const frames = (n: number) => readSdp(GOOD.replace('a=ptime:1', `a=framecount:${n}`));
    expect(frames(6).audio?.format.packetTimeUs).toBe(125);
    expect(frames(48).problems).toEqual([]);
  });

  test('RFC 7273: the clocks of the audio are taken, not those of a picture before it', () => {
    const [session, medium] = [GOOD.split('\n').slice(0, 5), GOOD.split('\n').slice(5)];
    const picture = [
      'm=video 5008 RTP/AVP 98',
      'a=rtpmap:98 raw/90000',
      'a=ts-refclk:localmac=02-00-00-00-00-99',
      'a=mediaclk:direct=7',
    ];
    const { audio: read } = readSdp([...session, ...picture, ...medium].join('\n'));
    const plain = readSdp(GOOD).audio;
    expect([read?.referenceClock, read?.mediaClockOffset]).toEqual([plain?.referenceClock, plain?.mediaClockOffset]);
  });

  test('RFC 4570: a filter counts for its destination; several may stand together; those of the medium come first', () => {
    const both = readSdp(`${GOOD.trimEnd()}\na=source-filter: incl IN IP4 239.0.0.1 10.0.0.1 10.0.0.2\n`).audio;
    expect(both?.legs[0]).toMatchObject({ sourceAddress: '10.0.0.1', moreSources: ['10.0.0.2'] });
    const sourceOf = (...filters: string[]) => {
      const { audio: read, problems } = readSdp(
        `${GOOD.trimEnd()}\n${filters.map((f) => `a=source-filter: ${f}`).join('\n')}\n`,
      );
      return [read?.legs[0]?.sourceAddress, problems.map((p) => p.severity).join()];
    };
    expect(sourceOf('incl IN IP4 239.0.0.9 10.0.0.9', 'incl IN IP4 239.0.0.1 10.0.0.1 10.0.0.2')).toEqual([
      '10.0.0.1',
      '',
    ]);
    expect(sourceOf('incl IN IP4 * 10.0.0.3')).toEqual(['10.0.0.3', '']);
    expect(sourceOf('excl IN IP4 239.0.0.1 10.0.0.4')).toEqual([null, 'caution']);
  });

  test('ST 2022-7: legs of different formats are no one stream', () => {
    const legs = (second: string) => {
      const [session, medium] = [GOOD.split('\n').slice(0, 5), GOOD.trimEnd().split('\n').slice(5)];
      const of = (mid: string, lines: readonly string[]) => [...lines, `a=mid:${mid}`];
      const other = [...medium.map((l) => l.replace('48000/8', second)), 'c=IN IP4 239.0.0.2/32'];
      return readSdp([...session, 'a=group:DUP x y', ...of('x', medium), ...of('y', other)].join('\n'));
    };
    expect(legs('48000/8').audio?.legs).toHaveLength(2);
    expect(legs('48000/4')).toMatchObject({ audio: null, problems: [{ severity: 'error' }] });
  });

  test.each([
    ['a packet time of 1 ms', 'ptime:1', 1000, 48],
    ['one of 0.12 ms', 'ptime:0.12', 125, 6],
  ])('%s at 44.1 kHz is that of 48 kHz: its samples are taken, with a note', (_, ptime, packetTimeUs, samples) => {
    const { audio: read, problems } = readSdp(GOOD.replace('48000/8', '44100/2').replace('ptime:1', ptime));
    expect(read?.format).toEqual({ encoding: 'L24', rateHz: 44_100, packetTimeUs });
    expect(problems).toEqual([
      { line: 10, severity: 'note', problem: expect.stringContaining(`${samples} samples used`) },
    ]);
  });

  test('what cannot be received is refused, what is odd is a caution', () => {
    const told = (text: string) => {
      const { audio: read, problems } = readSdp(text);
      return [read !== null, ...problems.map((p) => p.severity)];
    };
    expect(told(GOOD.replace('RTP/AVP', 'RTP/SAVP'))).toEqual([false, 'error']);
    expect(told(GOOD.replace('a=recvonly', 'a=inactive'))).toEqual([true, 'caution']);
    expect(told(GOOD.replace('239.0.0.1/32', '239.0.0.1'))).toEqual([true, 'caution']);
    expect(told(GOOD.replace('239.0.0.1/32', '239.0.0.1/32/2'))).toEqual([true, 'caution']);
    // An address of a host has no time to live.
    expect(told(GOOD.replace('239.0.0.1/32', '10.0.0.9'))).toEqual([true]);
    const order = (groups: string) => `${GOOD.trimEnd()}\na=fmtp:96 channel-order=SMPTE2110.(${groups})\n`;
    expect(told(order('51,ST'))).toEqual([true]);
    expect(told(order('51').replace('48000/8', '48000/2'))).toEqual([true, 'caution']);
    expect(told(order('U08'))).toEqual([true]);
  });

  test('RFC 7104: two legs with unlike packet times or clocks, or to the same group and port, are wrong', () => {
    const [session, medium] = [GOOD.split('\n').slice(0, 3), GOOD.trimEnd().split('\n').slice(4)];
    const legs = (change: (lines: readonly string[]) => readonly string[]) => {
      const [time = '', ...lines] = medium;
      const other = change([...lines, 'c=IN IP4 239.0.0.2/32', 'a=mid:y']);
      const first = [...lines, 'c=IN IP4 239.0.0.1/32', 'a=mid:x'];
      return readSdp([...session, time, 'a=group:DUP x y', ...first, ...other].join('\n')).audio?.legs.length ?? null;
    };
    const replace = (from: string | RegExp, to: string) => (lines: readonly string[]) =>
      lines.map((l) => l.replace(from, to));
    expect(legs((lines) => lines)).toBe(2);
    expect(legs(replace('ptime:1', 'ptime:0.125'))).toBeNull();
    expect(legs(replace('07-CB-D0', '07-CB-D1'))).toBeNull();
    expect(legs(replace('239.0.0.2', '239.0.0.1'))).toBeNull();
    expect(legs(replace('239.0.0.2', '239.0.0.3'))).toBe(2);
  });

  test('a line break in a name begins no line', () => {
    const [plain] = fc.sample(audio, { numRuns: 1, seed: 1 });
    const written = writeSdp({ ...plain!, name: 'Stage\r\na=inactive' });
    expect(written.split(/\r?\n/)).not.toContain('a=inactive');
    expect(readSdp(written).audio?.name).toBe('Stage a=inactive');
  });

  test('no text makes it throw', () => {
    fc.assert(fc.property(fc.string({ unit: 'binary', maxLength: 400 }), (text) => void readSdp(text)));
    fc.assert(
      fc.property(
        fc.nat(GOOD.length),
        fc.oneof(fc.string({ maxLength: 6 }), fc.constantFrom(' ', ' 7', '\n', '/', '8 ', '=')),
        (at, noise) => void readSdp(GOOD.slice(0, at) + noise + GOOD.slice(at)),
      ),
      { numRuns: 1000 },
    );
  });
});

describe('the plan file', () => {
  const good = (): PlanFile => JSON.parse(JSON.stringify(skerryPoint())) as PlanFile;
  type Loose = Record<string, Record<string, unknown>[]> & { version?: unknown };
  const read = (change: (file: Loose) => void) => {
    const file = good();
    change(file as unknown as Loose);
    return readPlanFile(JSON.stringify(file));
  };

  test('a plan goes out and comes in the same', () => {
    const plan = planOfFile(good());
    const again = readPlanFile(JSON.stringify(fileOfPlan(plan)));
    expectSame(again.ok && fileOfPlan(again.plan), fileOfPlan(plan));
  });

  test('so does a plan with any mistakes in it: a file is for keeping work that is not finished, too', () => {
    fc.assert(
      fc.property(brokenPlan(planOfFile(good())), (plan) => {
        const text = [...planFileText(plan)].join('');
        expectSame(JSON.parse(text) as PlanFile, fileOfPlan(plan));
        const again = readPlanFile(text);
        expectSame(again.ok && fileOfPlan(again.plan), fileOfPlan(plan));
      }),
      { numRuns: 40 },
    );
  });

  test.each(PLAN_FILE_VERSIONS)(
    'a file of version %i, with the tables and names of that time, gives what it holds',
    (version) => {
      const isOfThen = (table: TableName) => declarationOf(table).since <= version;
      const cut = TABLE_NAMES.filter((table) => !isOfThen(table));
      let renamed = 0;
      fc.assert(
        fc.property(arbitraryPlan(), (plan) => {
          // What points at tables that were not there yet pointed nowhere.
          const { plan: then } = soundPlan({ ...plan, ...Object.fromEntries(cut.map((table) => [table, new Map()])) });
          const { format, version: _, ...tables } = fileOfPlan(then);
          const held = Object.fromEntries(Object.entries(tables).filter(([table]) => isOfThen(table as TableName)));
          let old = JSON.stringify({ format, version, ...held });
          if (version < 3) old = old.replaceAll('"streamNumber":', '"slot":');
          renamed += Number(old.includes('"slot":'));
          const again = readPlanFile(old);
          expectSame(again.ok ? fileOfPlan(again.plan) : again.problems, fileOfPlan(then));
        }),
        { numRuns: 20 },
      );
      expect(renamed > 3).toBe(version < 3);
    },
  );

  test.each<[string, (file: Record<string, Record<string, unknown>[]>) => void, RegExp]>([
    [
      'a wrong type',
      (f) => Object.assign(f['subscriptions']![3]!, { receiverChannel: 'x' }),
      /^\/subscriptions\/3\/receiverChannel must be integer/,
    ],
    ['a missing field', (f) => delete f['devices']![2]!['name'], /^\/devices\/2 must have required property 'name'/],
    ['a field that nobody knows', (f) => Object.assign(f['devices']![0]!, { colour: 'red' }), /^\/devices\/0 .*colour/],
    [
      'a rate that is none',
      (f) => Object.assign(f['devices']![0]!, { rateHz: 47_000 }),
      /^\/devices\/0\/rateHz .*44100, 48000, 96000/,
    ],
    [
      'a device that is not there',
      (f) => Object.assign(f['subscriptions']![0]!, { senderDeviceId: 'ghost' }),
      /^\/subscriptions\/0\/senderDeviceId ghost is not in the file/,
    ],
    [
      'an id that is listed twice',
      (f) => Object.assign(f['devices']![1]!, { id: 'core-a' }),
      /^\/devices\/1\/id core-a is listed twice/,
    ],
    [
      'a lane that is listed twice',
      (f) => f['subscriptions']!.push({ ...f['subscriptions']![0]!, senderChannel: 2 }),
      /^\/subscriptions\/328 \S+ \d+ is listed twice/,
    ],
    ['another version', (f) => Object.assign(f, { version: 9 }), /^\/version/],
  ])('%s is refused with its place', (_, change, words) => {
    const result = read(change);
    expect(result.ok ? '' : `${result.problems[0]?.at} ${result.problems[0]?.problem}`).toMatch(words);
  });

  test('what is not JSON is said to be so', () => {
    expect(readPlanFile('{"format": ')).toMatchObject({ ok: false, problems: [{ at: '/' }] });
  });
});
