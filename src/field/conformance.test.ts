import { feed } from '../core/plan/test-plan';
import { conformanceOf } from './conformance';
import { FieldBench, until } from './test-bench';
import { portOf } from './test-port';

const REGISTRY = { address: '127.99.6.1', port: portOf(18_895), expiryMs: 1200 };
const URL_OF_REGISTRY = `http://${REGISTRY.address}:${REGISTRY.port}`;

describe('a walk through a system that only reads', () => {
  const bench = new FieldBench({ registry: REGISTRY, devicePort: portOf(18_096) });
  beforeAll(async () => {
    await bench.start();
    bench.edit(feed('box', 1, 'amp', 1, 2));
    await bench.sendAll('amp', [1, 2]);
    await until(() => bench.stateOf('amp', 2) === 'carrying');
  });
  afterAll(() => bench.stop());
  const seen = async () =>
    (await conformanceOf(URL_OF_REGISTRY)).remarks.map((r) => `${r.severity} ${r.standard} ${r.problem}`);

  test('our own stand-ins are as the standards have them, and nothing is changed', async () => {
    const before = [...bench.nodes.values()].map((n) => JSON.stringify(n.memory()));
    const { remarks, counts } = await conformanceOf(URL_OF_REGISTRY);
    expect(remarks.filter((r) => r.severity !== 'note')).toEqual([]);
    expect(counts).toMatchObject({ node: 3, device: 3, flow: counts.sender, source: counts.sender });
    expect([...bench.nodes.values()].map((n) => JSON.stringify(n.memory()))).toEqual(before);
  });

  test('what it says of others', async () => {
    const list = async (path: string) =>
      (await (await fetch(`${URL_OF_REGISTRY}/x-nmos/query/v1.3/${path}`)).json()) as Record<string, unknown>[];
    const put = async (type: string, data: object) => {
      const answer = await fetch(`${URL_OF_REGISTRY}/x-nmos/registration/v1.3/resource`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ type, data: { ...data, version: '9999999999:0' } }),
      });
      expect(answer.status).toBe(200);
    };
    const amp = (await list('devices')).find((d) => d['label'] === 'amp')!;
    const controls = amp['controls'] as { type: string; href: string }[];
    await put('device', {
      ...amp,
      controls: [
        { type: 'urn:x-nmos:control:sr-ctrl/v1.1', href: controls[0]!.href.replace(/:\d+\//, ':18099/') },
        { type: 'urn:example:control:lamp', href: controls[0]!.href },
      ],
    });
    const sender = (await list('senders')).find((s) => (s['subscription'] as { active: boolean }).active)!;
    await put('sender', { ...sender, interface_bindings: ['Z'] });
    const flow = (await list('flows')).find((f) => f['id'] === sender['flow_id'])!;
    await put('flow', { ...flow, sample_rate: { numerator: 96_000 } });
    const other = (await list('senders')).find(
      (s) => s['device_id'] === sender['device_id'] && s['id'] !== sender['id'],
    )!;
    await put('sender', { ...other, transport: 'urn:x-nmos:transport:websocket' });
    expect(await seen()).toEqual(
      expect.arrayContaining([
        'caution IS-08 has no channel map: which channel is in which position of a stream cannot be read',
        'note IS-04 a control is not used here: urn:example:control:lamp',
        'error IS-05 /constraints: cannot be reached (connection refused)',
        'error IS-04 /interface_bindings names Z, which its node does not have',
        'caution SDP it has 48000 Hz, the flow in the registry 96000 Hz',
        'note IS-04 goes over urn:x-nmos:transport:websocket, which is not RTP',
      ]),
    );
  });
});
