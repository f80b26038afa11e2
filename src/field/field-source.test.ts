import { OwnRegistry } from '../registry/own-registry';
import { Registry } from '../registry/registry';
import { ServiceNames, type AnnouncedService } from '../registry/service-names';
// The stand-ins are what the field is tried on; the product itself never imports them.
import { fleetOfPlan } from '../standins/fleet';
import { StandinNode } from '../standins/node';
import { fileOfPlan } from '../core/formats/plan-file';
import { parseDiscoveryPlace, findServices, QUERY_SERVICE } from './dns-sd';
import { FieldFollower } from './follower';
import { nameOf, sourceOf } from './field-source';
import { NodeList } from './node-list';
import { NodesClient } from './nodes-client';
import { ReachableHosts } from './reachable-hosts';
import { startPlan, until } from './test-bench';
import { portOf } from './test-port';

/** Finding devices with and without a registry, on stand-ins that register where they are set to, or nowhere. */

const DEVICE_PORT = portOf(18_051);
const registryAt = (address: string) => new Registry({ address, port: portOf(18_850), expiryMs: 1200 });
const urlAt = (address: string) => `http://${address}:${portOf(18_850)}`;
const specs = fleetOfPlan(fileOfPlan(startPlan()));
const nodesAt = (registryUrl: string) =>
  specs.map(
    (spec) =>
      new StandinNode(spec, { port: DEVICE_PORT, registryUrl, heartbeatMs: 300, remember: () => {} }, undefined),
  );
const NOWHERE = `http://127.99.3.99:${portOf(18_850)}`;
const service = (instance: string, address: string, pri: string): AnnouncedService => ({
  service: QUERY_SERVICE,
  instance,
  address,
  port: portOf(18_850),
  txt: { api_proto: 'http', api_ver: 'v1.3', api_auth: 'false', pri },
});

describe('the field', () => {
  const names = new ServiceNames({ domain: 'venue.example', address: '127.99.3.53', port: portOf(15_350) });
  const discovery = parseDiscoveryPlace(`venue.example@127.99.3.53:${portOf(15_350)}`);
  let ends: (() => Promise<void>)[] = [];
  beforeAll(() => names.start());
  afterAll(() => names.stop());
  afterEach(async () => {
    await Promise.all(ends.map((end) => end()));
    ends = [];
    names.services = [];
  });

  const follow = (places: Partial<Parameters<typeof sourceOf>[0]>): FieldFollower => {
    const all = { registryUrl: null, discovery: null, nodes: new NodeList(), ...places };
    const hosts = new ReachableHosts({ networks: ['127.0.0.0/8'], names: [], registryUrl: null, own: null });
    const follower = new FieldFollower(
      () => nameOf(all) ?? '',
      () => {},
      hosts,
      undefined,
      sourceOf(all),
    );
    follower.start();
    ends.push(() => Promise.resolve(follower.stop()));
    return follower;
  };
  const plug = async (registryUrl: string): Promise<StandinNode[]> => {
    const nodes = nodesAt(registryUrl);
    await Promise.all(nodes.map((n) => n.plug()));
    ends.push(async () => void (await Promise.all(nodes.map((n) => n.unplug()))));
    return nodes;
  };
  const labels = (follower: FieldFollower) => [...follower.snapshot().nodes.values()].map((n) => n.node.label).sort();

  test('with nothing set nothing is followed', () => {
    expect(nameOf({ registryUrl: null, discovery: null, nodes: new NodeList() })).toBeNull();
  });

  test('nodes are read by their addresses where there is no registry: with all that they have, and gone when they are', async () => {
    const nodes = await plug(NOWHERE);
    const [box, amp] = ['box', 'amp'].map((id) => nodes.find((n) => n.spec.id === id)!);
    const follower = follow({
      nodes: new NodeList([
        `http://127.99.8.11:${portOf(18_051)}`,
        `http://127.99.8.12:${portOf(18_051)}`,
        `http://127.99.8.77:${portOf(18_051)}`,
      ]),
    });
    await until(() => labels(follower).join() === 'amp,box');
    const found = [...follower.snapshot().nodes.values()].find((n) => n.node.label === 'amp')!;
    expect(found.receivers).toHaveLength(amp!.spec.streamsReceive);
    expect(found.node.serial).toBe(amp!.spec.serial);
    // How it was found, and when last.
    const told = follower.snapshot().toldOf.get(found.node.id)!;
    expect(told.from).toBe(`http://127.99.8.12:${portOf(18_051)}`);
    expect(Date.now() - told.at).toBeLessThan(10_000);
    await until(() => follower.snapshot().channelMaps.size === 2 && follower.snapshot().isConnected);
    box!.rename('Hall box');
    await until(() => labels(follower).includes('Hall box'));
    await amp!.unplug();
    await until(() => !labels(follower).includes('amp'));
  }, 60_000);

  test('nodes are typed in and taken out while others are read: each is there at once, and how its reading went', async () => {
    const nodes = await plug(NOWHERE);
    const list = new NodeList([`http://127.99.8.11:${portOf(18_051)}`]);
    const follower = follow({ nodes: list });
    await until(() => labels(follower).join() === 'box');
    expect(follower.snapshot().registryUrl).toBe(`the node at http://127.99.8.11:${portOf(18_051)}`);
    const typedAt = Date.now();
    list.setTyped([`http://127.99.8.12:${portOf(18_051)}`, `http://127.99.8.77:${portOf(18_051)}`]);
    expect(list.reading(`http://127.99.8.12:${portOf(18_051)}`)).toBeNull();
    await until(() => labels(follower).join() === 'amp,box');
    // It does not wait for its turn, which comes every 5 s.
    expect(Date.now() - typedAt).toBeLessThan(4500);
    expect(follower.snapshot().registryUrl).toBe('3 nodes by address');
    await until(() => list.reading(`http://127.99.8.77:${portOf(18_051)}`) !== null);
    expect(list.reading(`http://127.99.8.77:${portOf(18_051)}`)).toMatchObject({
      label: null,
      failure: { kind: 'unreachable', detail: 'connection refused' },
    });
    const amp = nodes.find((n) => n.spec.id === 'amp')!;
    expect(list.reading(`http://127.99.8.12:${portOf(18_051)}`)).toMatchObject({ label: 'amp', failure: null });
    expect(follower.snapshot().nodes.has(list.reading(`http://127.99.8.12:${portOf(18_051)}`)!.nodeId!)).toBe(true);
    await amp.unplug();
    list.setTyped([]);
    await until(() => labels(follower).join() === 'box');
    expect(list.reading(`http://127.99.8.12:${portOf(18_051)}`)).toBeNull();
    expect(follower.snapshot().isConnected).toBe(true);
  }, 60_000);

  test('once it is stopped, nodes that were still to be read are left alone', async () => {
    const read: string[] = [];
    const urls = Array.from({ length: 100 }, (_, n) => `http://127.99.3.98:${19_000 + n}`);
    const nothing = () => undefined;
    const events = { page: nothing, full: nothing, changed: nothing, connected: nothing, disconnected: nothing };
    const client = new NodesClient(
      () => urls,
      events,
      () => true,
      (url) => read.push(url),
    );
    const reading = client.readAll();
    client.stop();
    await reading;
    expect(read.length).toBeLessThan(20);
  });

  test('a registry is found by its announcement, the lowest priority first; one that is lost hands over to the next', async () => {
    const [main, spare] = [registryAt('127.99.3.1'), registryAt('127.99.3.2')];
    await Promise.all([main.start(), spare.start()]);
    ends.push(() => spare.stop());
    await plug(urlAt('127.99.3.2'));
    names.services = [service('spare', '127.99.3.2', '20'), service('main', '127.99.3.1', '10')];
    const follower = follow({ discovery });
    await until(() => follower.snapshot().isConnected);
    // The first choice is followed, though nothing is registered there.
    expect(labels(follower)).toEqual([]);
    await main.stop();
    await until(() => labels(follower).length === 3 && follower.snapshot().isConnected);
  }, 60_000);

  test('where no registry is announced nodes that announce themselves are read (peer to peer)', async () => {
    await plug(NOWHERE);
    names.services = [
      {
        service: '_nmos-node._tcp',
        instance: 'Hall amp',
        address: '127.99.8.12',
        port: DEVICE_PORT,
        txt: { api_proto: 'http', api_ver: 'v1.3', api_auth: 'false' },
      },
    ];
    const follower = follow({ discovery });
    await until(() => labels(follower).join() === 'amp' && follower.snapshot().isConnected);
  }, 60_000);

  test('a registry of this server takes nodes in, and is announced by multicast to those that look for one', async () => {
    const own = new OwnRegistry({ address: '127.99.3.5', port: portOf(18_850) });
    await own.start();
    ends.push(() => own.stop());
    await plug(urlAt('127.99.3.5'));
    const follower = follow({ registryUrl: urlAt('127.99.3.5') });
    await until(() => labels(follower).length === 3);
    expect(own.unannouncedBecause).toBeNull();
    const announced = await findServices(QUERY_SERVICE, parseDiscoveryPlace('local@127.99.3.5')!);
    // What other tests announce at the same time is received too.
    expect(announced.filter((s) => s.url === urlAt('127.99.3.5'))).toMatchObject([
      { url: urlAt('127.99.3.5'), priority: 50, apiVersions: ['v1.2', 'v1.3'] },
    ]);
  }, 60_000);

  test('a registry of IS-04 v1.2 alone is followed too, with what registers there', async () => {
    const earlier = new Registry({ address: '127.99.3.7', port: portOf(18_850), expiryMs: 60_000, versions: ['v1.2'] });
    await earlier.start();
    ends.push(() => earlier.stop());
    const spec = specs.find((s) => s.id === 'amp')!;
    const amp = new StandinNode(
      spec,
      { port: DEVICE_PORT, registryUrl: NOWHERE, heartbeatMs: 300, remember: () => {} },
      undefined,
    );
    await amp.plug();
    ends.push(() => amp.unplug());
    const follower = follow({ registryUrl: urlAt('127.99.3.7') });
    await until(() => follower.snapshot().isConnected);
    // As a node of v1.2 registers: with what it has, kind by kind.
    const at = `http://127.99.8.12:${DEVICE_PORT}/x-nmos/node/v1.3`;
    const read = async (path: string) => (await (await fetch(`${at}/${path}`)).json()) as object[] | object;
    for (const [type, path] of [
      ['node', 'self'],
      ['device', 'devices'],
      ['source', 'sources'],
      ['flow', 'flows'],
      ['sender', 'senders'],
      ['receiver', 'receivers'],
    ] as const) {
      for (const data of [await read(path)].flat()) {
        const answer = await fetch(`${urlAt('127.99.3.7')}/x-nmos/registration/v1.2/resource`, {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body: JSON.stringify({ type, data }),
        });
        expect([type, answer.status]).toEqual([type, 201]);
      }
    }
    const found = () => [...follower.snapshot().nodes.values()][0];
    await until(
      () => found()?.receivers.length === spec.streamsReceive && found()?.senders.length === spec.streamsSend,
    );
    await until(() => found()!.receivers.every((r) => follower.snapshot().readings.has(r.id)));
    expect(labels(follower)).toEqual(['amp']);
  }, 60_000);

  test('a registry and a node beside it are one field: what only one of them has is there, and what both have is there once', async () => {
    const registry = registryAt('127.99.3.6');
    await registry.start();
    ends.push(() => registry.stop());
    const nodes = nodesAt(urlAt('127.99.3.6'));
    const [box, amp] = ['box', 'amp'].map((id) => nodes.find((n) => n.spec.id === id)!);
    const alone = new StandinNode(
      specs.find((s) => s.id === 'far')!,
      { port: DEVICE_PORT, registryUrl: NOWHERE, heartbeatMs: 300, remember: () => {} },
      undefined,
    );
    await Promise.all([box!.plug(), amp!.plug(), alone.plug()]);
    ends.push(async () => void (await Promise.all([box!, amp!, alone].map((n) => n.unplug()))));
    const follower = follow({
      registryUrl: urlAt('127.99.3.6'),
      nodes: new NodeList([`http://127.99.8.12:${portOf(18_051)}`, `http://127.99.8.13:${portOf(18_051)}`]),
    });
    await until(() => labels(follower).join() === 'amp,box,far');
    // The registry forgets one that is still read by its address.
    await registry.stop();
    await until(() => follower.snapshot().isConnected);
    expect(labels(follower)).toContain('far');
  }, 60_000);
});
