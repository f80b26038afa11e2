import { fileOfPlan } from '../core/formats/plan-file';
import { startPlan, until } from '../field/test-bench';
// The stand-ins are what the field is tried on; the product itself never imports them.
import { fleetOfPlan } from '../standins/fleet';
import { StandinNode } from '../standins/node';
import { addNodeByAddress, chooseAdapters, readFieldPlaces, removeNodeByAddress } from './field-places';
import { openPlanFile } from './plans';
import { closeServer, serverState } from './state';
import { Browser } from './test-browser';
import { problemOf } from './test-problem';
import { inServerFolders, requestOf } from './test-server';
import { portOf } from '../field/test-port';

/** Nodes that are in no registry, and adapters, as people choose them at the page. */

const PORT = portOf(18_951);
const ada = { id: 'a', name: 'First engineer' };
inServerFolders({ JADE_NETWORKS: '127.99.0.0/16' });

describe('nodes by address', () => {
  const spec = fleetOfPlan(fileOfPlan(startPlan())).find((s) => s.id === 'amp')!;
  const node = new StandinNode(
    spec,
    { port: PORT, registryUrl: `http://127.99.3.99:${portOf(18_950)}`, heartbeatMs: 300, remember: () => {} },
    undefined,
  );
  const address = `127.99.8.12:${PORT}`;
  beforeAll(() => node.plug());
  afterAll(() => node.unplug());

  test('the first one begins to follow devices, in plans that are open too; taken out, nothing is followed', async () => {
    expect(serverState().follower).toBeNull();
    expect(readFieldPlaces()).toMatchObject({ followed: null, nodes: [] });
    const plan = await openPlanFile(requestOf(JSON.stringify(fileOfPlan(startPlan()))));
    const browser = new Browser(plan.id, ada);
    expect(browser.shown().registry.has('')).toBe(false);
    expect(addNodeByAddress(ada, address)).toMatchObject({
      followed: { name: `the node at http://${address}` },
      nodes: [{ url: `http://${address}`, by: 'First engineer', refusal: null }],
    });
    await until(() => browser.shown().devices.has('amp'));
    // Bound by the serial of the plan, and asked at its own address.
    expect(browser.shown().devices.get('amp')).toMatchObject({
      boundBy: 'serial',
      askedAt: { address: '127.99.8.12' },
    });
    expect(readFieldPlaces().nodes[0]).toMatchObject({ reading: { label: 'amp', failure: null } });
    expect(readFieldPlaces().followed?.isConnected).toBe(true);
    expect(removeNodeByAddress(`http://${address}`)).toMatchObject({ followed: null, nodes: [] });
    expect(serverState().follower).toBeNull();
    await until(() => !browser.shown().registry.has(''));
    browser.leave();
  }, 60_000);

  test('they are kept over a restart', async () => {
    addNodeByAddress(ada, address);
    closeServer();
    const { nodes } = readFieldPlaces();
    expect(nodes).toMatchObject([{ url: `http://${address}`, by: 'First engineer' }]);
    await until(() => readFieldPlaces().nodes[0]?.reading?.label === 'amp');
  }, 60_000);

  test('what is no address, is not allowed, or stands there already is refused, and nothing is kept of it', () => {
    process.env['JADE_NODES'] = `http://127.99.8.11:${portOf(18_951)}`;
    closeServer();
    expect(problemOf(() => addNodeByAddress(ada, 'the amp'))).toMatchObject({ status: 400, field: 'address' });
    expect(problemOf(() => addNodeByAddress(ada, '127.0.0.1:5432')).message).toContain(
      'it is outside the networks that are used',
    );
    expect(problemOf(() => addNodeByAddress(ada, 'amp.venue.example')).message).toContain('JADE_DEVICE_HOSTS');
    expect(problemOf(() => addNodeByAddress(ada, '127.0.0.1:3000')).message).toContain('this server itself');
    expect(problemOf(() => addNodeByAddress(ada, `127.99.8.11:${portOf(18_951)}`)).code).toBe('known');
    addNodeByAddress(ada, '127.99.8.13');
    expect(problemOf(() => addNodeByAddress(ada, 'http://127.99.8.13:80/')).code).toBe('known');
    // What is set at the start is taken out by its setting alone.
    expect(problemOf(() => removeNodeByAddress(`http://127.99.8.11:${portOf(18_951)}`))).toMatchObject({ status: 404 });
    expect(readFieldPlaces().nodes.map((n) => [n.url, n.by])).toEqual([
      [`http://127.99.8.11:${portOf(18_951)}`, null],
      ['http://127.99.8.13', 'First engineer'],
    ]);
  });

  test('there is an end to how many', () => {
    for (let n = 0; n < 256; n += 1) addNodeByAddress(ada, `127.99.8.13:${n + 1000}`);
    expect(problemOf(() => addNodeByAddress(ada, '127.99.8.13')).code).toBe('too-many');
  });
});

describe('adapters', () => {
  test('are chosen by name and kept over a restart; all again takes the choice back', () => {
    process.env['JADE_NETWORKS'] = '127.0.0.0/8';
    closeServer();
    const names = [...new Set(readFieldPlaces().adapters.map((a) => a.name))];
    expect(names).toContain('lo');
    expect(readFieldPlaces()).toMatchObject({ chosenBy: null });
    expect(serverState().announcements).toBeNull();
    const chosen = chooseAdapters(ada, ['lo']);
    expect(chosen.adapters.every((a) => a.isUsed === (a.name === 'lo'))).toBe(true);
    // Announcements are received there too.
    expect(
      serverState()
        .announcements?.state()
        .places.map((p) => p.address),
    ).toEqual(['127.0.0.1']);
    closeServer();
    expect(readFieldPlaces()).toMatchObject({ chosenBy: { name: 'First engineer' } });
    expect(readFieldPlaces().adapters.every((a) => a.isUsed === (a.name === 'lo'))).toBe(true);
    expect(problemOf(() => chooseAdapters(ada, ['lo', 'none7'])).field).toBe('names[1]');
    expect(chooseAdapters(ada, null)).toMatchObject({ chosenBy: null });
    expect(readFieldPlaces().adapters.every((a) => a.isUsed)).toBe(true);
    expect(serverState().announcements).toBeNull();
  });
});
