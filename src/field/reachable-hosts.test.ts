import { leadsToDoor } from './own-door';
import { hostOf, ReachableHosts } from './reachable-hosts';

const hosts = (change: Partial<ConstructorParameters<typeof ReachableHosts>[0]> = {}) =>
  new ReachableHosts({
    networks: ['10.20.0.0/16'],
    names: ['gateway.venue'],
    registryUrl: null,
    own: { host: '0.0.0.0', port: 3000 },
    ...change,
  });

describe('which hosts are talked to', () => {
  test.each([
    ['http://10.20.1.7:8080/x', true],
    ['http://10.21.1.7:8080/x', false],
    ['http://gateway.venue/x', true],
    ['http://GATEWAY.venue/x', true],
    ['http://elsewhere.venue/x', false],
    ['http://169.254.169.254/latest', false],
    // The same address in another way of writing it.
    ['http://2886729729/', false],
    ['http://0x0a140107:8080/', true],
    ['http://[::1]:8080/', false],
    ['ws+unix:///tmp/socket', false],
    ['file:///etc/passwd', false],
    ['', false],
  ])('%s: %s', (url, isAllowed) => expect(hosts().allows(url)).toBe(isAllowed));

  test('addresses of a plan are, for as long as it has them', () => {
    const known = hosts();
    expect(known.setNamed('p', new Set(['192.0.2.7', '0.0.0.0']))).toBe(true);
    expect(known.allows('http://192.0.2.7/')).toBe(true);
    expect(known.allows('http://0.0.0.0:80/')).toBe(false);
    known.setNamed('p', new Set(['192.0.2.7']));
    expect(known.setNamed('p', new Set(['192.0.2.7']))).toBe(false);
    expect(known.setNamed('p', new Set())).toBe(true);
    expect(known.allows('http://192.0.2.7/')).toBe(false);
  });

  describe('by the adapters that are used', () => {
    const adapter = (name: string, network: string, isLoopback = false) => ({
      ...{ name, address: network.replace(/0\/\d+$/, '9'), network, isLoopback },
    });
    const all = [adapter('lo', '127.0.0.0/8', true), adapter('red', '10.20.0.0/24'), adapter('blue', '10.21.0.0/24')];
    const known = (change: Parameters<typeof hosts>[0] = {}) =>
      hosts({ networks: null, adapters: () => all, ...change });

    test('all are, until some are chosen; then what is on the others is not asked, not even for a plan', () => {
      const some = known();
      expect(some.adapters().map((a) => [a.name, a.isUsed])).toEqual([
        ['red', true],
        ['blue', true],
      ]);
      expect(some.allows('http://10.21.0.7/')).toBe(true);
      some.setNamed('p', new Set(['10.21.0.7', '192.0.2.7']));
      some.choose(['red']);
      expect(some.adapters().map((a) => a.isUsed)).toEqual([true, false]);
      expect(some.allows('http://10.20.0.7/')).toBe(true);
      expect(some.refuses('http://10.21.0.7/')).toBe('unused-adapter');
      expect(some.refuses('http://10.21.0.8/')).toBe('unused-adapter');
      // Which way a router leads nobody knows here.
      expect(some.allows('http://192.0.2.7/')).toBe(true);
      some.choose(null);
      expect(some.allows('http://10.21.0.8/')).toBe(true);
    });

    test('networks that are set stay set, as far as their adapter is used', () => {
      const some = known({ networks: ['10.20.0.0/16'] });
      expect(some.refuses('http://10.21.0.7/')).toBe('other-network');
      some.choose(['blue']);
      expect(some.refuses('http://10.20.0.7/')).toBe('unused-adapter');
      expect(some.allows('http://10.20.1.7/')).toBe(true);
    });

    test('the loopback adapter is one of them only where devices are looked for on it', () => {
      const local = known({ registryUrl: 'http://127.0.0.1:8870' });
      expect(local.adapters().map((a) => a.name)).toEqual(['lo', 'red', 'blue']);
      local.choose(['red']);
      expect(local.refuses('http://127.9.0.1/')).toBe('unused-adapter');
    });

    test('a person may name any address that is no service of this computer', () => {
      const some = known();
      expect(some.refusesToName('http://192.0.2.7:8080')).toBeNull();
      expect(some.refuses('http://192.0.2.7:8080')).toBe('other-network');
      expect(some.refusesToName('http://127.0.0.1:5432')).toBe('other-network');
      expect(some.refusesToName('http://127.0.0.1:3000')).toBe('this-server');
      expect(some.refusesToName('http://elsewhere.venue')).toBe('name');
      expect(some.refusesToName('http://gateway.venue')).toBeNull();
      for (const none of ['0.0.0.0', '0.1.2.3', '239.1.2.3', '255.255.255.255']) {
        expect([none, some.refusesToName(`http://${none}:5432`)]).toEqual([none, 'no-address']);
      }
      some.choose(['blue']);
      expect(some.refusesToName('http://10.20.0.7')).toBe('unused-adapter');
    });
  });

  test('the loopback network is only where the registry is on it, and this application never', () => {
    const url = 'http://127.0.0.1:8080/';
    expect(hosts({ networks: null, registryUrl: 'http://127.0.0.1:8870' }).allows(url)).toBe(true);
    expect(hosts({ networks: null, registryUrl: 'http://127.0.0.1:8870' }).allows('http://127.0.0.1:3000/')).toBe(
      false,
    );
    expect(hosts({ networks: null, registryUrl: 'http://10.20.0.2:8870' }).allows(url)).toBe(false);
    expect(hosts({ networks: null, registryUrl: 'http://10.20.0.2:8870' }).allows('http://10.20.0.2:8870/')).toBe(true);
  });

  test.each([
    // Where it listens on one address, others of this computer are devices.
    ['127.0.0.1', 'http://127.71.36.11:3000/', false],
    ['127.0.0.1', 'http://localhost:3000/', true],
    ['127.0.0.1', 'http://[::ffff:127.0.0.1]:3000/', true],
    ['127.4.5.6', 'http://127.4.5.6:3000/', true],
    ['127.4.5.6', 'http://127.0.0.1:3000/', false],
    ['0.0.0.0', 'http://127.71.36.11:3000/', true],
    ['::', 'ws://127.0.0.1:3000/', true],
    ['127.0.0.1', 'http://127.0.0.1/', false],
    ['127.0.0.1', 'http://0.0.0.0:3000/', true],
  ])('where this server listens at %s, %s leads to it: %s', (host, url, leads) => {
    expect(leadsToDoor({ host, port: 3000 }, url)).toBe(leads);
    expect(leadsToDoor({ host, port: 80 }, url.replace(':3000', ''))).toBe(leads || url === 'http://127.0.0.1/');
  });

  test('a host is told from what only looks like one', () => {
    expect(hostOf('http://user:pw@10.20.1.7/')).toBe('10.20.1.7');
    expect(hostOf('https://[fe80::1]:80/')).toBe('fe80::1');
    expect(hostOf('javascript:alert(1)')).toBeNull();
  });
});
