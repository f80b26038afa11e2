import fc from 'fast-check';
import { skerryPoint } from '../../demo/skerry-point';
import { readModelFile } from './model-file';
import { fileOfPlan } from './plan-file';
import { planOfFile } from './plan-file';
import { writePatchList } from './patch-list';
import { parseBoundedJson } from './bounded-json';
import { readClockCase } from './clock-case';
import { readDevice, readEnd, readFlow, readNode } from './is04';
import { readEndState } from './is05';
import { readChannelMap } from './is08';
import { readNetworkCsv, writeNetworkCsv } from './network-csv';
import { readNmosJson } from './nmos-json';
import { readPatchList } from './patch-list';
import { readPlanFile } from './read-plan-file';
import { recognise } from './recognise';
import { readSap, writeSap } from './sap';
import { readSdp } from './sdp';

/** Whatever comes from outside is answered, and never thrown at: real files, with pieces of them changed, lost, doubled or moved. */

const plan = planOfFile(skerryPoint());
const SDP = `v=0
o=- 1311738121 1 IN IP4 192.168.1.1
s=Stage left I/O
c=IN IP4 239.0.0.1/32
t=0 0
a=group:DUP A B
m=audio 5004 RTP/AVP 96
a=source-filter: incl IN IP4 239.0.0.1 192.168.1.1
a=rtpmap:96 L24/48000/8
a=fmtp:96 channel-order=SMPTE2110.(ST)
a=ptime:1
a=ts-refclk:ptp=IEEE1588-2008:39-A7-94-FF-FE-07-CB-D0:0
a=mediaclk:direct=963214424
a=mid:A
`;
const node = {
  id: '58f6b536-ca4c-43fd-880a-9df2508fc125',
  label: 'Stage box',
  href: 'http://10.71.36.11:8080/',
  api: { endpoints: [{ host: '10.71.36.11', port: 8080, protocol: 'http' }] },
  tags: { 'urn:x-nmos:tag:asset:instance-id/v1.0': ['SK-1'] },
  clocks: [{ ref_type: 'ptp', gmid: '08-00-11-ff-fe-21-e1-b0', locked: true, traceable: true }],
  interfaces: [{ name: 'A', port_id: '1', attached_network_device: { chassis_id: 'c', port_id: 'p' } }],
  controls: [{ type: 'urn:x-nmos:control:sr-ctrl/v1.1', href: 'http://10.71.36.11:8080/x' }],
  caps: { constraint_sets: [{ 'urn:x-nmos:cap:format:media_type': { enum: ['audio/L24'] } }] },
  subscription: { active: true },
};
const channelMap = {
  inputs: { in: { parent: { type: 'receiver', id: 'r' }, channels: [{ label: 'a' }], caps: { block_size: 8 } } },
  outputs: { out: { source_id: 's', channels: [{ label: 'a' }] } },
  map: { out: { '0': { input: 'in', channel_index: 0 } } },
};
const endState = {
  master_enable: true,
  receiver_id: null,
  transport_params: [{ source_ip: '10.0.0.1', destination_ip: '239.0.0.1', destination_port: 5004, rtp_enabled: true }],
};

/** What hostile text likes to hold. */
const JUNK = [
  'a=5',
  'a=',
  '=',
  '"',
  ',',
  ';',
  '\t',
  '\u0000',
  '\u202e',
  '999999999999',
  '-1',
  'NaN',
  '[[[[',
  '{}',
  'null',
  '__proto__',
];

const textPieces = fc.array(
  fc.record({
    at: fc.nat(100_000),
    cut: fc.nat(12),
    put: fc.oneof(fc.constantFrom(...JUNK), fc.string({ maxLength: 6 })),
  }),
  { minLength: 1, maxLength: 6 },
);
const mutated = (text: string) =>
  textPieces.map((pieces) =>
    pieces.reduce((t, { at, cut, put }) => {
      const from = at % (t.length + 1);
      return t.slice(0, from) + put + t.slice(from + cut);
    }, text),
  );
/** Whole lines changed places, or were lost, doubled, or made again. */
const relined = (text: string) => {
  const lines = text.split('\n');
  const line = fc.oneof(
    fc.constantFrom(...lines),
    fc.constantFrom(...JUNK),
    fc.constantFrom(...lines.map((l) => l.replace(/[=:].*/, '=5'))),
  );
  return fc.array(line, { maxLength: lines.length + 3 }).map((list) => list.join('\n'));
};

const anyJson = fc.oneof(fc.jsonValue(), fc.constantFrom<unknown>(null, [], [null], {}, '', 0, true));
/** A real answer in which some values are anything. */
function remade(value: unknown): fc.Arbitrary<unknown> {
  if (Array.isArray(value)) {
    return fc.oneof({ weight: 4, arbitrary: fc.tuple(...value.map(remade)) }, { weight: 1, arbitrary: anyJson });
  }
  if (typeof value !== 'object' || value === null) {
    return fc.oneof({ weight: 4, arbitrary: fc.constant(value) }, { weight: 1, arbitrary: anyJson });
  }
  const fields = Object.fromEntries(Object.entries(value).map(([name, inside]) => [name, remade(inside)]));
  return fc.oneof({ weight: 6, arbitrary: fc.record(fields, { requiredKeys: [] }) }, { weight: 1, arbitrary: anyJson });
}

const planText = JSON.stringify(fileOfPlan(plan));
const modelsText = JSON.stringify({ format: 'jade-lane-models', version: 1, models: skerryPoint().models.slice(0, 2) });

describe('whatever comes from outside is answered, never thrown at', () => {
  test.each([
    ['SDP', SDP, (t: string) => readSdp(t)],
    ['a plan file', planText.slice(0, 40_000), (t: string) => readPlanFile(t)],
    ['a file of models', modelsText, (t: string) => readModelFile(t)],
    ['a network list', writeNetworkCsv(plan), (t: string) => readNetworkCsv(t)],
    ['a patch list', writePatchList(plan), (t: string) => readPatchList(t)],
    [
      'NMOS resources',
      JSON.stringify({ nodes: [node], devices: [node], senders: [node] }),
      (t: string) => readNmosJson(t),
    ],
    ['a clock case', JSON.stringify({ clocks: [node] }), (t: string) => readClockCase(t)],
    ['a file of any kind', SDP, (t: string) => recognise('x.sdp', new TextEncoder().encode(t))],
  ])('%s', (_, text, read) => {
    fc.assert(
      fc.property(fc.oneof(mutated(text), relined(text)), (t) => void read(t)),
      { numRuns: 150 },
    );
  });

  test.each([
    [
      'resources of a registry',
      node,
      (v: unknown) => [readNode, readDevice, readFlow, readEnd].map((r) => r(v as never)),
    ],
    ['parameters of a connection', endState, (v: unknown) => readEndState(v)],
    ['a channel map', channelMap, (v: unknown) => readChannelMap(v, v, 0)],
  ])('%s', (_, value, read) => {
    fc.assert(
      fc.property(remade(value), (v) => void read(v ?? {})),
      { numRuns: 300 },
    );
  });

  test('a plan file in which single values are anything', () => {
    const file = JSON.parse(planText) as Record<string, unknown[]>;
    const small = {
      ...file,
      devices: file['devices']?.slice(0, 2),
      links: [],
      interfaces: file['interfaces']?.slice(0, 2),
      subscriptions: [],
    };
    for (const table of Object.keys(small)) {
      const list = (small as Record<string, unknown>)[table];
      if (Array.isArray(list)) (small as Record<string, unknown>)[table] = list.slice(0, 2);
    }
    fc.assert(
      fc.property(remade(small), (v) => void readPlanFile(JSON.stringify(v) ?? 'null')),
      { numRuns: 200 },
    );
  });

  test('a list whose items cannot be compared by what they call themselves', () => {
    const file = JSON.parse(planText) as { models: { terminals: object[] }[] };
    const at = file.models.findIndex((m) => m.terminals.length > 0);
    for (const formats of [
      [{}, { toString: '' }],
      [{ valueOf: 1 }, { valueOf: 2 }],
    ]) {
      const models = file.models.map((m, n) =>
        n === at ? { ...m, terminals: m.terminals.map((t) => ({ ...t, formats })) } : m,
      );
      const read = readPlanFile(JSON.stringify({ ...file, models }));
      expect(!read.ok && read.problems[0]?.at).toContain(`/models/${at}/terminals/0/formats`);
    }
  });

  test('a datagram whose SDP has an attribute that is a number', () => {
    const packet = writeSap(
      { kind: 'announce', messageIdHash: 1, payload: SDP.replace('a=mid:A', 'a=5').replace('a=mediaclk', 'a=x') },
      1,
    );
    const read = readSap(packet);
    expect(read.ok).toBe(true);
    expect(() => readSdp(SDP.replace('a=mediaclk:direct=963214424', 'a=5'))).not.toThrow();
  });
});

describe('JSON is held to limits before anything is made of it', () => {
  const limits = { depth: 3, values: 10 };

  test.each([
    ['[[[[]]]]', 'nested more than 3 deep'],
    [`[${'{},'.repeat(20)}{}]`, 'made of more than 10 values'],
    ['[1,', 'not JSON'],
  ])('%s', (text, problem) => expect(parseBoundedJson(text, limits)).toMatchObject({ ok: false, problem }));

  test('brackets and commas within text count for nothing', () => {
    const text = '["[[[[{{{{,,,,,,,,,,,,", "\\"[[[[,,,,"]';
    expect(parseBoundedJson(text, limits)).toEqual({ ok: true, value: JSON.parse(text) as unknown });
  });

  test('within the limits it is what JSON.parse makes of it', () => {
    fc.assert(
      fc.property(fc.json({ maxDepth: 20 }), (text) => {
        expect(parseBoundedJson(text, { depth: 64, values: 1_000_000 })).toEqual({
          ok: true,
          value: JSON.parse(text) as unknown,
        });
      }),
    );
  });
});
