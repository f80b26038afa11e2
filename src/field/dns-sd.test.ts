import { ServiceNames, type AnnouncedService } from '../registry/service-names';
import { findServices, NODE_SERVICE, parseDiscoveryPlace, QUERY_SERVICE, registriesInOrder } from './dns-sd';
import { portOf } from './test-port';

const registry = (
  instance: string,
  address: string,
  pri: string,
  change: Record<string, string> = {},
): AnnouncedService => ({
  service: QUERY_SERVICE,
  instance,
  address,
  port: 8870,
  txt: { api_proto: 'http', api_ver: 'v1.2,v1.3', api_auth: 'false', pri, ...change },
});
const SERVICES: readonly AnnouncedService[] = [
  registry('Spare registry', '127.99.4.2', '20'),
  registry('Main registry, north', '127.99.4.1', '10'),
  registry('Under construction', '127.99.4.3', '100'),
  registry('Old one', '127.99.4.4', '0', { api_ver: 'v1.0' }),
  registry('Earlier one', '127.99.4.5', '30', { api_ver: 'v1.1,v1.2' }),
  {
    service: NODE_SERVICE,
    instance: 'Hall amp',
    address: '127.99.4.9',
    port: 80,
    txt: { api_proto: 'http', api_ver: 'v1.3' },
  },
];

describe('where services are asked for', () => {
  test.each([
    ['local', { by: 'multicast', address: null }],
    ['local@10.20.0.5', { by: 'multicast', address: '10.20.0.5' }],
    ['venue.example', { by: 'name-server', domain: 'venue.example', servers: [] }],
    ['venue.example@10.20.0.2:5300', { by: 'name-server', domain: 'venue.example', servers: ['10.20.0.2:5300'] }],
    ['local@10.20.0.5:53', null],
    ['venue example', null],
    ['', null],
  ])('%s', (text, expected) => expect(parseDiscoveryPlace(text)).toEqual(expected));
});

describe.each([
  [
    'by a name server',
    { domain: 'venue.example', address: '127.99.4.53', port: portOf(15_353) },
    `venue.example@127.99.4.53:${portOf(15_353)}`,
  ],
  ['by multicast', { domain: 'local', address: '127.0.0.1' }, 'local@127.0.0.1'],
] as const)('services that are announced, %s', (_, at, text) => {
  const names = new ServiceNames(at);
  const place = parseDiscoveryPlace(text)!;
  beforeAll(() => names.start());
  afterAll(() => names.stop());
  /** What other tests announce by multicast at the same time is received too. */
  const find = async (service: string) =>
    (await findServices(service, place)).filter((found) =>
      SERVICES.some((s) => found.instance.startsWith(`${s.instance}._`)),
    );

  test('are found with address, port, priority and versions', async () => {
    names.services = SERVICES;
    const found = await find(QUERY_SERVICE);
    expect(found).toHaveLength(5);
    expect(found.find((s) => s.instance.startsWith('Main registry, north'))).toMatchObject({
      url: 'http://127.99.4.1:8870',
      priority: 10,
      apiVersions: ['v1.2', 'v1.3'],
    });
    expect(await find(NODE_SERVICE)).toMatchObject([{ url: 'http://127.99.4.9:80' }]);
    // Production before development, versions that are read, the lowest priority first (IS-04, "Discovery: Registered operation").
    expect(registriesInOrder(found)).toEqual([
      'http://127.99.4.1:8870',
      'http://127.99.4.2:8870',
      'http://127.99.4.5:8870',
    ]);
  });

  test('that nothing is announced is an answer', async () => {
    names.services = [];
    expect(await find(QUERY_SERVICE)).toEqual([]);
  });
});

test('a name server that does not answer is an error, not an empty building', async () => {
  const place = parseDiscoveryPlace(`venue.example@127.99.4.54:${portOf(15_354)}`)!;
  await expect(findServices(QUERY_SERVICE, place)).rejects.toThrow();
}, 20_000);
