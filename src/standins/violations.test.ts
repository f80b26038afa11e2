import { answerProblem } from '../core/formats/nmos-answers';
import { Registry } from '../registry/registry';
import type { StandinSpec } from './fleet';
import { StandinNode } from './node';
import { Violations } from './violations';
import { portOf } from '../field/test-port';

/** The strict mode: what stand-ins answer is held against the standards, and so is what they are asked. */

const PORT = portOf(18_031);
const SPEC: StandinSpec = {
  id: 'box',
  name: 'Box',
  serial: 'B-1',
  interfaces: [{ name: 'A', address: '127.99.10.11', attached: { chassisId: 'SW-1', portId: 'Port 1' } }],
  legs: [{ name: 'A', address: '127.99.10.11' }],
  channelsReceive: 4,
  channelsSend: 4,
  streamsReceive: 2,
  streamsSend: 2,
  channelsPerStream: 8,
  rateHz: 48_000,
  encoding: 'L24',
  packetTimeUs: 1000,
  ratesHz: [48_000],
  receiveMap: { blockSize: 2, reordering: false },
};

describe('strict mode', () => {
  const registry = new Registry({ address: '127.99.10.1', port: portOf(18_030), expiryMs: 2000 });
  const options = {
    port: PORT,
    registryUrl: `http://127.99.10.1:${portOf(18_030)}`,
    heartbeatMs: 300,
    remember: () => {},
  };
  const node = new StandinNode(SPEC, options, undefined);
  const violations = new Violations();
  beforeAll(async () => {
    violations.watch();
    await registry.start();
    await node.plug();
  });
  afterAll(async () => {
    await node.unplug();
    await registry.stop();
  });
  const at = (path: string) => `http://127.99.10.11:${PORT}${path}`;
  const send = (method: string, path: string, body: unknown) =>
    fetch(at(path), { method, headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) });

  test('everything that a stand-in answers is in the standard, whatever it is asked', async () => {
    const api = '/x-nmos/node/v1.3';
    const ids = async (kind: string) =>
      ((await (await fetch(at(`${api}/${kind}`))).json()) as { id: string }[]).map((r) => r.id);
    for (const kind of ['devices', 'sources', 'flows', 'senders', 'receivers']) {
      const [id] = await ids(kind);
      await fetch(at(`${api}/${kind}/${id}`));
    }
    await fetch(at(`${api}/self`));
    for (const kind of ['senders', 'receivers']) {
      const [id] = await ids(kind);
      const single = `/x-nmos/connection/v1.1/single/${kind}/${id}`;
      for (const part of ['', '/constraints', '/staged', '/active', '/transporttype', '/transportfile']) {
        await fetch(at(`${single}${part}`));
      }
      const activation = { mode: 'activate_scheduled_relative', requested_time: '0:100000000' };
      expect((await send('PATCH', `${single}/staged`, { master_enable: true, activation })).status).toBe(202);
      expect((await send('PATCH', `${single}/staged`, { master_enable: false })).status).toBe(423);
      await new Promise((resolve) => setTimeout(resolve, 250));
      await fetch(at(`${single}/active`));
    }
    for (const part of ['io', 'map/active', 'map/activations']) await fetch(at(`/x-nmos/channelmapping/v1.0/${part}`));
    await fetch(at('/x-nmos/nothing'));
    for (const kind of ['nodes', 'devices', 'senders']) {
      await fetch(`http://127.99.10.1:${portOf(18_030)}/x-nmos/query/v1.3/${kind}`);
    }
    expect(violations.noted).toEqual([]);
  });

  test('a request that the standards do not allow is noted, with why', async () => {
    const [id] = ((await (await fetch(at('/x-nmos/node/v1.3/receivers'))).json()) as { id: string }[]).map((r) => r.id);
    const path = `/x-nmos/connection/v1.1/single/receivers/${id}/staged`;
    expect((await send('PATCH', path, { transport_params: [{}, {}] })).status).toBe(400);
    expect(violations.noted).toHaveLength(1);
    expect(violations.noted[0]).toContain(`PATCH ${path} was refused`);
    violations.noted.length = 0;
  });

  test.each<[string, unknown, string]>([
    [
      '/x-nmos/connection/v1.1/single/receivers/a/active',
      { sender_id: null, master_enable: 'yes' },
      '/master_enable is not true or false',
    ],
    ['/x-nmos/channelmapping/v1.0/map/active', { activation: {}, map: {} }, 'activation'],
    ['/x-nmos/node/v1.3/self', { id: 'no' }, '/id is not a UUID'],
    ['/x-nmos/node/v1.3/senders', {}, 'is not a list'],
  ])('an answer that is not is told by its place: %s', (path, body, expected) => {
    expect(answerProblem({ method: 'GET', path, status: 200, body })).toContain(expected);
  });

  test('an error has a code, a reason and what helps', () => {
    const wrong = { method: 'GET', path: '/x-nmos/node/v1.3/self', status: 500, body: { error: 'no' } };
    expect(answerProblem(wrong)).toContain('/code is');
    expect(answerProblem({ ...wrong, body: { code: 500, error: 'no', debug: null } })).toBeNull();
  });
});
