import { planOfFile } from '../core/formats/plan-file';
import { skerryPoint } from '../demo/skerry-point';
import { StandinSwitch, switchesOfPlan } from '../standins/switch';
import { managementUrls, readInterfaces, readSwitch } from './switch-reader';
import { portOf } from './test-port';

const file = skerryPoint();
const spec = switchesOfPlan(file).find((s) => s.id === 'south-edge-a')!;

describe('a switch over RESTCONF', () => {
  const standin = new StandinSwitch({ ...spec, addresses: ['127.98.0.1'] }, portOf(18_655));
  const url = `http://127.98.0.1:${portOf(18_655)}`;
  beforeAll(() => standin.plug());
  afterAll(() => standin.unplug());

  test('tells each socket’s speed and state by the model of RFC 8343; what is empty is down and has no speed', async () => {
    const { ports, failure } = await readSwitch(url);
    expect(failure).toBeNull();
    expect(ports.find((p) => p.name === 'Port 1')).toEqual({
      name: 'Port 1',
      isUp: true,
      bitsPerSecond: 1e9,
      duplex: 'full',
    });
    expect(ports.find((p) => p.name === 'Port 24')).toEqual({
      name: 'Port 24',
      isUp: false,
      bitsPerSecond: null,
      duplex: null,
    });
    expect(ports.find((p) => p.name === 'Uplink 1')!.bitsPerSecond).toBe(1e10);
  });

  test('a cable that comes up otherwise is reported so, until it is right again', async () => {
    expect(standin.bringUp('Port 1', { bitsPerSecond: 1e8, duplex: 'half' })).toBe(true);
    expect((await readSwitch(url)).ports[0]).toMatchObject({ bitsPerSecond: 1e8, duplex: 'half' });
    expect(standin.bringUp('Port 1', null)).toBe(true);
    expect((await readSwitch(url)).ports[0]).toMatchObject({ bitsPerSecond: 1e9, duplex: 'full' });
    expect(standin.bringUp('Port 99', null)).toBe(false);
  });

  test('answers with the media type and the errors of RFC 8040', async () => {
    const one = await fetch(`${url}/restconf/data/ietf-interfaces:interfaces/interface=Port%201`);
    expect(one.headers.get('content-type')).toBe('application/yang-data+json');
    // RFC 7951: a gauge64 is a string.
    expect(await one.json()).toMatchObject({ 'ietf-interfaces:interface': [{ name: 'Port 1', speed: '1000000000' }] });
    const none = await fetch(`${url}/restconf/data/ietf-interfaces:interfaces/interface=moon`);
    expect(none.status).toBe(404);
    expect(await none.json()).toMatchObject({ 'ietf-restconf:errors': { error: [{ 'error-tag': 'invalid-value' }] } });
    const meta = await (await fetch(`${url}/.well-known/host-meta`)).text();
    expect(meta).toContain('rel="restconf"');
  });

  test('one that is not there, or answers something else, is a failure with its kind and no sockets', async () => {
    expect((await readSwitch(`http://127.98.0.9:${portOf(18_655)}`)).failure).toMatchObject({ kind: 'unreachable' });
    expect(readInterfaces(null)).toEqual([]);
    expect(readInterfaces({ 'ietf-interfaces:interfaces': { interface: 'no list' } })).toEqual([]);
    expect(
      readInterfaces({ 'ietf-interfaces:interfaces': { interface: [{ name: 7 }, { name: 'x', speed: 'fast' }] } }),
    ).toEqual([{ name: 'x', isUp: false, bitsPerSecond: null, duplex: null }]);
  });
});

test('switches are asked at their control address, as it looks where they are', () => {
  const urls = managementUrls(planOfFile(file), 8080, { from: '10.', to: '127.' });
  expect(urls.get('core-a')).toBe('http://127.73.0.2:8080');
  expect(urls.size).toBe(9);
});
