import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { skerryPoint } from '../demo/skerry-point';
import { jade as answerOf, type Ended } from './verbs';

let folder: string;
beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'jade-cli-'));
  writeFileSync(join(folder, 'skerry.json'), JSON.stringify(skerryPoint()));
});
afterAll(() => rmSync(folder, { recursive: true, force: true }));

const withJson = (ended: Ended) => ({
  ...ended,
  json: ended.stdout.startsWith('{') ? (JSON.parse(ended.stdout) as Record<string, never>) : null,
});

const jade = (...args: string[]) => withJson(answerOf(args));

/** As a process of its own, which is how others call it. */
function jadeProcess(args: readonly string[], input = '') {
  const { status, stdout, stderr } = spawnSync(process.execPath, ['scripts/jade.mjs', ...args], {
    encoding: 'utf8',
    maxBuffer: 1e8,
    input,
  });
  return { status, stdout, stderr };
}

const SDP =
  'v=0\r\no=- 1 1 IN IP4 10.0.0.1\r\ns=x\r\nt=0 0\r\nm=audio 5004 RTP/AVP 97\r\nc=IN IP4 239.71.0.1/32\r\na=rtpmap:97 L24/48000/2\r\n';

test('a process of its own says the same, with its exit code, and reads from standard input', () => {
  const plan = join(folder, 'skerry.json');
  for (const args of [['check', plan], ['reckon', plan], ['fly'], []])
    expect(jadeProcess(args)).toEqual(answerOf(args));
  writeFileSync(join(folder, 'a.sdp'), SDP);
  expect(jadeProcess(['sdp', '-'], SDP)).toEqual(answerOf(['sdp', join(folder, 'a.sdp')]));
  expect(jadeProcess(['sdp', '-'], 'v=0\r\n')).toMatchObject({
    status: 2,
    stdout: expect.stringMatching(/^\{/) as string,
  });
});

test('sum: the working of a stream', () => {
  const { json, status } = jade(
    'sum',
    '--channels',
    '8',
    '--rate',
    '48000',
    '--encoding',
    'L24',
    '--packet-time-us',
    '125',
  );
  expect(status).toBe(0);
  expect(json).toMatchObject({
    samplesPerPacket: 6,
    payloadBytes: 144,
    wireBytes: 222,
    packetsPerSecond: 8000,
    bitsPerSecond: 14_208_000,
  });
  expect(
    jade('sum', '--channels', '8', '--rate', '48000', '--encoding', 'L24', '--packet-time-us', '125', '--vlan').json,
  ).toMatchObject({ wireBytes: 226 });
});

test.each([
  [
    ['sum', '--channels', '80', '--rate', '48000', '--encoding', 'L24', '--packet-time-us', '1000'],
    /at most 10 channels/,
  ],
  [['sum', '--channels', 'x', '--rate', '48000', '--encoding', 'L24', '--packet-time-us', '1000'], /--channels x/],
  [['sum', '--channels', '8', '--rate', '47000', '--encoding', 'L24', '--packet-time-us', '1000'], /--rate 47000/],
  [['sum', '--channels', '8'], /--rate is missing/],
  [['check', '/nowhere/plan.json'], /ENOENT/],
  [['fly'], /no verb fly/],
])('what is wrong goes to standard error with exit code 2: %j', (args, words) => {
  const { status, stdout, stderr } = jade(...args);
  expect(status).toBe(2);
  expect(stdout).toBe('');
  expect(stderr).toMatch(words);
  expect(stderr).not.toMatch(/\n\s+at /);
});

test('check: findings with fixes, exit code 1 for a refusal and 0 for none', () => {
  const { status, json } = jade('check', join(folder, 'skerry.json'));
  expect(status).toBe(1);
  expect(json).toMatchObject({ refusals: 7, cautions: 5 });
  const { findings } = json as unknown as { findings: { stage: string }[] };
  expect([...new Set(findings.map((f) => f.stage))].sort()).toEqual(['clocks', 'lanes', 'network', 'patch', 'slots']);
  const generated = jade('generate', '--devices', '60', '--seed', '5');
  writeFileSync(join(folder, 'made.json'), generated.stdout);
  expect(jade('check', join(folder, 'made.json'))).toMatchObject({ status: 0, json: { refusals: 0, cautions: 0 } });
  expect(jade('generate', '--devices', '60', '--seed', '5').stdout).toBe(generated.stdout);
});

test('follow: every step from a hydrophone to the loudspeakers of the Dome, and back to it', () => {
  const at = (device: string, terminal: string, channel: string, ...rest: string[]) =>
    jade(
      'follow',
      join(folder, 'skerry.json'),
      '--device',
      device,
      '--terminal',
      terminal,
      '--channel',
      channel,
      ...rest,
    );
  interface Step {
    readonly device: string;
    readonly terminal: string;
    readonly delayNs: number;
    readonly levelDbu: number | null;
  }
  const steps = (answer: ReturnType<typeof jade>) => JSON.parse(answer.stdout) as Step[];
  const forward = steps(at('wave-stage-box', 'mic-in', '2'));
  expect(forward[0]).toMatchObject({
    device: 'wave-stage-box',
    terminal: 'mic-in',
    channel: 2,
    format: 'microphone',
    rateHz: null,
    tap: null,
    delayNs: 400_000,
    levelDbu: -42.8,
    name: 'Hydrophone near',
  });
  const speaker = forward.find((s) => s.device === 'dome-amp-1' && s.terminal === 'speaker-out');
  const back = steps(at('dome-amp-1', 'speaker-out', '1', '--back'));
  const socket = back.find((s) => s.device === 'wave-stage-box' && s.terminal === 'mic-in');
  // Stage box 0.4, console 0.6, renderer 5, amplifier 0.8 ms, and three link offsets of 3 ms.
  expect([speaker?.delayNs, socket?.delayNs]).toEqual([15_800_000, 15_800_000]);
  expect(at('wave-stage-box', 'strips', '1').stderr).toMatch(
    /no such terminal; it has network-in, network-out, mic-in, line-out/,
  );
  expect(at('nobody', 'mic-in', '1').stderr).toMatch(/--device nobody: the plan has no such device/);
  expect(at('wave-stage-box', 'mic-in', '25').stderr).toMatch(/--channel 25: wants a whole number from 1 to 24/);
});

test('check: a file that is wrong is told by place', () => {
  writeFileSync(join(folder, 'wrong.json'), JSON.stringify({ ...skerryPoint(), devices: 'none' }));
  expect(jade('check', join(folder, 'wrong.json'))).toMatchObject({
    status: 2,
    stderr: expect.stringContaining('/devices') as string,
  });
});

test('reckon and sdp answer in JSON, --help says how', () => {
  const { json } = jade('reckon', join(folder, 'skerry.json'));
  expect(json?.['totals']).toMatchObject({ devices: 60, refusedLanes: 2 });
  writeFileSync(join(folder, 'a.sdp'), SDP);
  expect(jade('sdp', join(folder, 'a.sdp')).json).toMatchObject({ audio: { channels: 2 } });
  for (const verb of ['sum', 'sdp', 'generate', 'check', 'reckon'])
    expect(jade(verb, '--help')).toMatchObject({
      status: 0,
      stdout: expect.stringContaining(`jade ${verb}`) as string,
    });
});

test('subnet: figures of each block and what overlaps; what is no block is refused by name', () => {
  const { json, status } = jade('subnet', '10.71.36.0/24', '10.71.36.128/25', '192.0.2.6/31');
  expect(status).toBe(0);
  expect(json).toEqual({
    subnets: [
      {
        cidr: '10.71.36.0/24',
        network: '10.71.36.0',
        broadcast: '10.71.36.255',
        first: '10.71.36.1',
        last: '10.71.36.254',
        usableHosts: 254,
      },
      expect.objectContaining({ first: '10.71.36.129', usableHosts: 126 }),
      expect.objectContaining({ broadcast: null, first: '192.0.2.6', last: '192.0.2.7', usableHosts: 2 }),
    ],
    overlaps: [{ a: '10.71.36.0/24', b: '10.71.36.128/25' }],
  });
  for (const bad of [['10.0.0.0/33'], ['10.0.0.256/8'], ['moon'], []]) expect(jade('subnet', ...bad).status).toBe(2);
});

test('loads: bits per second on every link and direction, the busiest first', () => {
  const { json, status } = jade('loads', join(folder, 'skerry.json'));
  expect(status).toBe(0);
  const links = json?.['links'] as unknown as Record<string, unknown>[];
  expect(links).toHaveLength(2 * skerryPoint().links.length);
  expect(links[0]).toMatchObject({
    linkId: 'up-wave-edge-a',
    from: { deviceId: 'wave-edge-a', port: 'Uplink 1' },
    isOverCeiling: true,
    linkBitsPerSecond: 1e9,
    setAsidePercent: 95,
  });
  for (const l of links) {
    const parts = [
      'mediaBitsPerSecond',
      'towardsQuerierBitsPerSecond',
      'floodedBitsPerSecond',
      'allowanceBitsPerSecond',
    ];
    expect(parts.reduce((sum, p) => sum + (l[p] as number), 0)).toBeCloseTo(l['bitsPerSecond'] as number, 3);
  }
});

describe('clocks', () => {
  const master = {
    id: 'north',
    clockIdentity: '00-1b-19-ff-fe-00-00-01',
    priority1: 1,
    clockClass: 6,
    clockAccuracy: 33,
    offsetScaledLogVariance: 20_061,
    priority2: 128,
    domainNumber: 0,
    ports: ['A'],
  };
  const spare = { ...master, id: 'spare', clockIdentity: '00-1b-19-ff-fe-00-00-02', priority1: 2, clockClass: 248 };
  const relay = { ...spare, id: 'relay', clockIdentity: '00-1b-19-ff-fe-00-00-03', priority1: 128, ports: ['A', 'B'] };
  const amp = { ...spare, id: 'amp', clockIdentity: '00-1b-19-ff-fe-00-00-04', clientOnly: true, ports: ['B'] };
  const run = (document: unknown) => {
    writeFileSync(join(folder, 'case.json'), JSON.stringify(document));
    return jade('clocks', join(folder, 'case.json'));
  };

  test('who leads, who relays, who follows; and the same after a loss', () => {
    const { json, status } = run({ clocks: [master, spare, relay, amp] });
    expect(status).toBe(0);
    const grandmasterIdentity = master.clockIdentity;
    expect(json).toEqual({
      north: { grandmasterIdentity, stepsRemoved: 0, parent: null, ports: { A: 'leads' } },
      spare: { grandmasterIdentity, stepsRemoved: 1, parent: 'north', ports: { A: 'follows' } },
      relay: { grandmasterIdentity, stepsRemoved: 1, parent: 'north', ports: { A: 'follows', B: 'leads' } },
      amp: { grandmasterIdentity, stepsRemoved: 2, parent: 'relay', ports: { B: 'follows' } },
    });
    const after = run({ clocks: [master, spare, relay, amp], lost: ['north'] }).json;
    expect(Object.keys(after ?? {})).toEqual(['amp', 'relay', 'spare']);
    expect(after?.['amp']).toMatchObject({
      grandmasterIdentity: spare.clockIdentity,
      stepsRemoved: 2,
      parent: 'relay',
    });
  });

  test.each([
    [{ ...master, priority1: 256 }, '/clocks/0/priority1: 256 is not a whole number from 0 to 255'],
    [{ ...master, clockClass: -1 }, '/clocks/0/clockClass: -1 is not a whole number from 0 to 255'],
    [{ ...master, offsetScaledLogVariance: 1.5 }, 'from 0 to 65535'],
    [{ ...master, clockIdentity: 'north' }, 'is not eight bytes'],
    [{ ...master, ports: [] }, '/clocks/0/ports: is empty'],
  ])('a clock that cannot be is refused with the field and its range', (clock, problem) => {
    const { status, stderr } = run({ clocks: [clock] });
    expect(status).toBe(2);
    expect(stderr).toContain(problem);
  });

  test('a case that names one clock twice, or loses one that is not there, is refused', () => {
    expect(run({ clocks: [master, master] }).stderr).toContain('north is listed twice');
    expect(run({ clocks: [master], lost: ['moon'] }).stderr).toContain('/lost/0: "moon" is none of the clocks');
    expect(run({}).stderr).toContain('/clocks: is not a list');
  });
});

test('capacity: the channels of a link at a rate, and what a format does not have is refused', () => {
  const of = (...args: string[]) => jade('capacity', ...args);
  const at96 = ['--rate-hz', '96000'];
  expect(of('--format', 'madi', ...at96)).toMatchObject({ status: 0, json: { channels: 32 } });
  expect(of('--format', 'madi', ...at96, '--varispeed').json).toMatchObject({ channels: 28 });
  expect(of('--format', 'aes3', ...at96, '--two-wire').json).toMatchObject({ channels: 1 });
  for (const [args, said] of [
    [['--format', 'adat', ...at96, '--varispeed'], '--varispeed: a frame of madi, not of adat'],
    [['--format', 'madi', ...at96, '--two-wire'], '--two-wire: a mode of aes3, not of madi'],
    [['--format', 'tape', ...at96], '--format tape: wants one of madi, adat, aes3, aes50, sdi, hdmi'],
    [['--format', 'sdi', '--rate-hz', '32000'], '--rate-hz 32000: wants one of 44100'],
  ] as const) {
    const { status, stderr } = of(...args);
    expect([status, stderr]).toEqual([2, expect.stringContaining(said)]);
  }
});
