import fc from 'fast-check';
import { importNodes } from '../edits/import-nodes';
import { apply, modelNamed, planOf } from '../plan/test-plan';
import { reckon } from '../reckon/reckon';
import { readNmosJson } from './nmos-json';

const AUDIO = 'urn:x-nmos:format:audio';
const node = (id: string, label: string, host: string) => ({
  id,
  label,
  href: `http://${host}:8080/`,
  services: [],
  tags: { 'urn:x-nmos:tag:asset:instance-id/v1.0': [`SN-${id}`] },
  api: { endpoints: [{ host, port: 8080, protocol: 'http' }] },
  clocks: [],
  interfaces: [],
});
const device = (id: string, nodeId: string) => ({ id, node_id: nodeId, label: id, controls: [], senders: [] });
const stream = (n: number, deviceId: string, channels: number, rate: number) => ({
  source: {
    id: `source-${n}`,
    device_id: deviceId,
    parents: [],
    format: AUDIO,
    channels: Array.from({ length: channels }, () => ({ label: '' })),
  },
  flow: { id: `flow-${n}`, source_id: `source-${n}`, format: AUDIO, sample_rate: { numerator: rate } },
  sender: { id: `sender-${n}`, device_id: deviceId, flow_id: `flow-${n}`, transport: 'x' },
});
const receiver = (id: string, deviceId: string, caps: object = {}, format = AUDIO) => ({
  ...{ id, device_id: deviceId, transport: 'x', format, caps },
});

const one = stream(1, 'd', 8, 96_000);
const two = stream(2, 'd', 4, 96_000);
const lists = {
  nodes: [node('n', 'Sea organ', '10.0.0.77')],
  devices: [device('d', 'n')],
  sources: [one.source, two.source],
  flows: [one.flow, two.flow],
  senders: [one.sender, two.sender],
  receivers: [
    receiver('r1', 'd', { constraint_sets: [{ 'urn:x-nmos:cap:format:channel_count': { minimum: 1, maximum: 16 } }] }),
    receiver('r2', 'd'),
    receiver('r3', 'd', {}, 'urn:x-nmos:format:video'),
  ],
};

describe('resources of IS-04 as JSON', () => {
  test('devices of a node that have channel maps of their own are devices of the plan, each with what is its own', () => {
    const controls = [{ type: 'urn:x-nmos:control:cm-ctrl/v1.0', href: 'http://10.0.0.77:8080/map' }];
    const own = stream(3, 'e', 2, 48_000);
    const file = (controlsOfE: object[]) => ({
      ...lists,
      devices: [...lists.devices, { ...device('e', 'n'), label: 'Card 2', controls: controlsOfE }, device('idle', 'n')],
      sources: [...lists.sources, own.source],
      flows: [...lists.flows, own.flow],
      senders: [...lists.senders, own.sender],
    });
    const { nodes, problems } = readNmosJson(JSON.stringify(file(controls)));
    expect(problems).toEqual([]);
    expect(nodes).toMatchObject([
      {
        nodeId: 'n',
        nodeDeviceId: 'e',
        label: 'Sea organ, Card 2',
        channelsSend: 2,
        streamsReceive: 0,
        rateHz: 48_000,
      },
      { nodeId: 'n', nodeDeviceId: 'd', label: 'Sea organ, d', channelsSend: 12, streamsReceive: 2, rateHz: 96_000 },
    ]);
    // One of them has a map, so that its channels are in no order of streams; the other has none.
    expect(nodes.map((n) => [n.sendOrder, n.otherEnds])).toEqual([
      [null, 0],
      [expect.any(Array), 1],
    ]);
    const plan = planOf({ console: modelNamed('console-72') });
    const { commands } = importNodes(plan, nodes);
    const after = apply(plan, ...commands);
    const added = [...after.devices.values()].filter((d) => d.nodeId === 'n');
    expect(added.map((d) => [d.name, d.nodeDeviceId])).toEqual([
      ['Sea organ, Card 2', 'e'],
      ['Sea organ, d', 'd'],
    ]);
    // They have the addresses of their node in common, which is no fault; and are known when they come again.
    expect(reckon(after).findings.filter((f) => f.about === 'duplicate-address')).toEqual([]);
    expect(importNodes(after, nodes)).toMatchObject({
      commands: [],
      items: [{ knownBy: 'node' }, { knownBy: 'node' }],
    });
    // A third device at that address is.
    const third = apply(after, {
      kind: 'put-interface',
      interface: { deviceId: 'console', name: 'A', subnetId: null, address: '10.0.0.77' },
    });
    expect(reckon(third).findings.filter((f) => f.about === 'duplicate-address')).toHaveLength(1);

    // Without any map all of them are one.
    const whole = readNmosJson(JSON.stringify(file([]))).nodes;
    expect(whole).toMatchObject([{ nodeId: 'n', label: 'Sea organ', channelsSend: 14, streamsSend: 3, rateHz: null }]);
    expect(whole[0]).not.toHaveProperty('nodeDeviceId');
  });

  test('channels, streams and rate of a node are added up from what hangs on it', () => {
    const { nodes, problems } = readNmosJson(JSON.stringify(lists));
    expect(problems).toEqual([]);
    expect(nodes).toEqual([
      {
        nodeId: 'n',
        label: 'Sea organ',
        interfaces: [],
        hasPtp: null,
        receives: [{ encodings: ['L24', 'L16'], ratesHz: [48_000], packetTimesUs: [1000], channelsMax: 16 }],
        serial: 'SN-n',
        addresses: ['10.0.0.77'],
        channelsSend: 12,
        streamsSend: 2,
        channelsReceive: 24,
        streamsReceive: 2,
        otherEnds: 1,
        rateHz: 96_000,
        // None of its devices offers a channel map: its streams are taken in their order.
        sendOrder: [
          { first: 1, channels: 8 },
          { first: 9, channels: 4 },
        ],
        receiveOrder: [
          { first: 1, channels: 16 },
          { first: 17, channels: 8 },
        ],
      },
    ]);
    const map = { type: 'urn:x-nmos:control:cm-ctrl/v1.0', href: 'http://10.0.0.77/x-nmos/channelmapping/v1.0/' };
    const devices = lists.devices.map((d) => ({ ...d, controls: [map] }));
    expect(readNmosJson(JSON.stringify({ ...lists, devices })).nodes[0]).toMatchObject({
      sendOrder: null,
      receiveOrder: null,
    });
  });

  test('lists by name and one list of everything say the same', () => {
    const flat = Object.values(lists).flat();
    expect(readNmosJson(JSON.stringify(flat))).toEqual(readNmosJson(JSON.stringify(lists)));
  });

  test('what hangs on nothing, is listed twice or is no resource is named by its place', () => {
    const { nodes, problems } = readNmosJson(
      JSON.stringify({
        nodes: [...lists.nodes, ...lists.nodes],
        devices: [device('d', 'n'), device('e', 'gone')],
        senders: [7, { ...one.sender, device_id: 'nowhere' }, { device_id: 'd' }],
      }),
    );
    expect(nodes).toHaveLength(1);
    expect(problems).toEqual([
      { at: '/nodes/1/id', problem: 'n is listed twice' },
      { at: '/senders/0', problem: 'is not a resource of IS-04' },
      { at: '/senders/2/id', problem: 'is missing' },
      { at: '/devices/1/node_id', problem: 'the node gone is not in the file' },
      { at: '/senders/1/device_id', problem: 'the device nowhere is not in the file' },
    ]);
  });

  test('a cut file and one without nodes say so', () => {
    expect(readNmosJson('{"nodes": [').problems[0]?.problem).toContain('not JSON');
    expect(readNmosJson('[]').problems[0]?.problem).toContain('holds no node');
  });

  test('tens of megabytes of nothing are refused unread, and problems without end are not all listed', () => {
    expect(readNmosJson(`[${'{},'.repeat(9_999_999)}{}]`)).toEqual({
      nodes: [],
      problems: [{ at: '/', problem: 'is made of more than 4000000 values' }],
    });
    const { problems } = readNmosJson(`[${'{},'.repeat(99_999)}{}]`);
    expect(problems).toHaveLength(1001);
    expect(problems.at(-1)).toEqual({ at: '/', problem: 'has more problems than are listed' });
  });

  test('law: any JSON is answered, and whatever is offered has whole counts', () => {
    const resources = Object.values(lists).flat();
    fc.assert(
      fc.property(fc.array(fc.oneof(fc.constantFrom(...resources), fc.jsonValue())), (list) => {
        for (const n of readNmosJson(JSON.stringify(list)).nodes) {
          expect(n.channelsSend).toBeGreaterThanOrEqual(n.streamsSend);
          expect(Number.isInteger(n.channelsReceive)).toBe(true);
        }
      }),
    );
  });
});

describe('nodes taken into a plan', () => {
  const { nodes } = readNmosJson(JSON.stringify(lists));
  const plan = planOf({ desk: modelNamed('console-72') });

  test('one that the plan does not know becomes a device with what it tells, bound to its node', () => {
    const { items, commands } = importNodes(plan, nodes);
    expect(items).toMatchObject([{ verdict: 'new', device: 'Sea organ', knownBy: null }]);
    const after = apply(plan, ...commands);
    const added = [...after.devices.values()].find((d) => d.name === 'Sea organ');
    expect(added).toMatchObject({ nodeId: 'n', serial: 'SN-n', rateHz: 96_000 });
    expect(after.models.get(added?.modelId ?? '')).toMatchObject({ channelsSend: 12, streamsReceive: 2 });
    expect(after.interfaces.get(added?.id ?? '')?.get('A')).toMatchObject({ subnetId: 'a', address: '10.0.0.77' });
    // Taken in a second time it is known.
    expect(importNodes(after, nodes)).toMatchObject({ items: [{ verdict: 'known', knownBy: 'node' }], commands: [] });
  });

  test('one whose serial or address the plan has is known already', () => {
    const bySerial = apply(plan, { kind: 'change-device', deviceId: 'desk', change: { serial: 'SN-n' } });
    expect(importNodes(bySerial, nodes).items).toMatchObject([{ verdict: 'known', device: 'desk', knownBy: 'serial' }]);
    const byAddress = apply(plan, {
      kind: 'put-interface',
      interface: { deviceId: 'desk', name: 'A', subnetId: 'a', address: '10.0.0.77' },
    });
    expect(importNodes(byAddress, nodes).items).toMatchObject([{ verdict: 'known', knownBy: 'address' }]);
  });

  test('two of one name get names and models of their own', () => {
    const twins = readNmosJson(JSON.stringify([node('a', 'Twin', '10.0.0.80'), node('b', 'Twin', '10.0.0.81')])).nodes;
    const after = apply(plan, ...importNodes(plan, twins).commands);
    expect([...after.devices.values()].map((d) => d.name)).toEqual(['desk', 'Twin', 'Twin 2']);
    expect(after.models.size).toBe(3);
  });
});
